//! Parts on a real batch engine: a Slurm controller and two nodes on this machine. `.ci/run` installs it.

use std::fs;
use std::net::TcpListener;
use std::path::Path;
use std::process::{Child, Command, Stdio};
use std::thread;
use std::time::{Duration, Instant};

use crate::support::{Scratch, photo};

/// Longer than all of it takes on a slow machine.
const LIMIT: Duration = Duration::from_secs(240);

/// The controller and its nodes, which end with it.
struct Cluster<'a> {
    scratch: &'a Scratch,
    controller: Child,
    nodes: [Child; 2],
}

impl Drop for Cluster<'_> {
    fn drop(&mut self) {
        for child in self.nodes.iter_mut().chain([&mut self.controller]) {
            let _ = child.kill();
            let _ = child.wait();
        }
    }
}

/// A port that was free a moment ago.
fn free_port() -> u16 {
    let listener = TcpListener::bind("127.0.0.1:0").expect("a port");
    listener.local_addr().expect("an address").port()
}

fn configuration(folder: &Path) -> String {
    let host = Command::new("hostname").output().expect("hostname");
    let host = String::from_utf8(host.stdout).expect("text");
    let (host, at) = (host.trim(), folder.display());
    let [controller, first, second] = [(); 3].map(|()| free_port());
    format!(
        "ClusterName=tern\nSlurmctldHost={host}(127.0.0.1)\nSlurmctldPort={controller}\nSlurmUser=root\nSlurmdUser=root\n\
         AuthType=auth/none\nCredType=cred/none\nAuthInfo=cred_expire=2\nProctrackType=proctrack/pgid\nTaskPlugin=task/none\n\
         SelectType=select/linear\nMpiDefault=none\nSwitchType=switch/none\nReturnToService=2\nSlurmdTimeout=10\nKillWait=2\n\
         SchedulerParameters=sched_interval=2,sched_min_interval=100000\nSlurmdParameters=config_overrides\n\
         StateSaveLocation={at}/state\nSlurmdSpoolDir={at}/spool-%n\nSlurmdPidFile={at}/%n.pid\nSlurmctldPidFile={at}/ctld.pid\n\
         SlurmctldLogFile={at}/ctld.log\nSlurmdLogFile={at}/%n.log\n\
         NodeName=keeper-1 NodeHostname={host} NodeAddr=127.0.0.1 Port={first} CPUs=1 State=UNKNOWN\n\
         NodeName=keeper-2 NodeHostname={host} NodeAddr=127.0.0.1 Port={second} CPUs=1 State=UNKNOWN\n\
         PartitionName=all Nodes=ALL Default=YES MaxTime=INFINITE State=UP\n"
    )
}

impl<'a> Cluster<'a> {
    fn start(scratch: &'a Scratch) -> Cluster<'a> {
        fs::create_dir_all(scratch.path("slurm/state")).expect("a folder");
        let text = configuration(&scratch.path("slurm"));
        let file = scratch.put("slurm/slurm.conf", text.as_bytes());
        let daemon = |program: &str, more: &[&str]| {
            let mut command = Command::new(program);
            command.arg("-D").arg("-f").arg(&file).args(more);
            command.env("PATH", "/usr/sbin:/usr/bin:/sbin:/bin");
            command.stdout(Stdio::null()).stderr(Stdio::null());
            command
                .spawn()
                .unwrap_or_else(|error| panic!("{program}: {error}"))
        };
        let cluster = Cluster {
            scratch,
            controller: daemon("slurmctld", &[]),
            nodes: ["keeper-1", "keeper-2"].map(|node| daemon("slurmd", &["-N", node])),
        };
        cluster.wait("both nodes are idle", || {
            cluster.asks("sinfo", &["-h", "-N", "-o", "%T"]) == "idle\nidle\n"
        });
        cluster
    }

    fn asks(&self, program: &str, arguments: &[&str]) -> String {
        let mut command = Command::new(program);
        command.args(arguments);
        command.env("SLURM_CONF", self.scratch.path("slurm/slurm.conf"));
        let output = command
            .output()
            .unwrap_or_else(|error| panic!("{program}: {error}"));
        String::from_utf8(output.stdout).expect("text")
    }

    fn wait(&self, what: &str, holds: impl Fn() -> bool) {
        let start = Instant::now();
        while !holds() {
            let state = || {
                let queue = self.asks("squeue", &[]);
                let log = fs::read_to_string(self.scratch.path("slurm/ctld.log"));
                queue + &log.unwrap_or_default()
            };
            assert!(start.elapsed() < LIMIT, "never came: {what}\n{}", state());
            thread::sleep(Duration::from_millis(100));
        }
    }
}

fn kill(id: &str) {
    let killed = Command::new("kill").args(["-9", id]).status();
    assert!(killed.expect("kill").success(), "{id}");
}

/// An array of eight parts, one of two nodes lost half-way, its task given to the other: the same files and the
/// same ledger as one run leaves.
#[test]
#[ignore = "wants slurmctld and slurmd"]
fn an_array_on_a_cluster_that_loses_a_node() {
    let scratch = Scratch::new();
    for index in 0..24 {
        scratch.put(
            &format!("photos/{}/{index}.jpg", index % 5),
            &photo(480, 360, index),
        );
    }
    let kiln = env!("CARGO_BIN_EXE_kiln");
    let at = scratch.path("").display().to_string();
    let fire = "fire photos --no-kiln -w 240,480 -f avif,webp -j 1 --quiet";
    let job = format!(
        "#!/bin/sh\n#SBATCH --array=1-8\n#SBATCH --requeue\n#SBATCH --output={at}/%a.txt\n#SBATCH --open-mode=append\n\
         cd '{at}'\necho $$ > running-$SLURMD_NODENAME\nexec {kiln} {fire} -o many --part auto\n"
    );
    scratch.put("job.sh", job.as_bytes());
    let mut cluster = Cluster::start(&scratch);
    let job = scratch.path("job.sh").display().to_string();
    let said = cluster.asks("sbatch", &[&job]);
    assert!(said.starts_with("Submitted batch job"), "{said}");

    // The first node is lost with all that runs on it, in the middle of a part.
    let ended = || {
        let parts = scratch.files("many/.kiln-parts");
        let ended = |bytes: &Vec<u8>| bytes.ends_with(b"{\"ended\":{}}\n");
        parts.values().filter(|bytes| ended(bytes)).count()
    };
    let running = || cluster.asks("squeue", &["-h", "-t", "R", "-w", "keeper-1", "-o", "%i"]);
    cluster.wait("two parts", || ended() >= 2 && !running().is_empty());
    let task = fs::read_to_string(scratch.path("running-keeper-1")).expect("a task");
    let about = Command::new("ps")
        .args(["-o", "ppid=", "-p", task.trim()])
        .output();
    let keeper = String::from_utf8(about.expect("ps").stdout).expect("text");
    cluster.nodes[0].kill().expect("a node");
    cluster.nodes[0].wait().expect("a node");
    if !keeper.trim().is_empty() {
        kill(keeper.trim());
        kill(task.trim());
    }
    assert!(ended() < 8, "it was over before the node was lost");
    let lost = [
        "update",
        "nodename=keeper-1",
        "state=down",
        "reason=lightning",
    ];
    cluster.asks("scontrol", &lost);
    cluster.wait("an empty queue", || {
        cluster.asks("squeue", &["-h"]).is_empty()
    });
    assert_eq!(ended(), 8);
    let log = fs::read_to_string(scratch.path("slurm/ctld.log")).expect("a log");
    assert!(log.to_lowercase().contains("requeue"), "{log}");

    let arguments: Vec<&str> = fire.split(' ').collect();
    scratch.fires(&[&arguments[..], &["-o", "many", "--gather"]].concat());
    scratch.fires(&[&arguments[..], &["-o", "one"]].concat());
    let (many, one) = (scratch.files("many"), scratch.files("one"));
    assert!(one.len() > 90, "{}", one.len());
    assert_eq!(many, one);
}
