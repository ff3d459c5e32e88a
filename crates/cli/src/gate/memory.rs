//! The memory that this process may have: its own limits (getrlimit(2)) and those of its control group (cgroups(7)), as
//! Linux tells them. Elsewhere, and where there is no limit, nothing is known.

use std::fs;
use std::path::{Path, PathBuf};

/// The addresses that each thread takes beside what it works on: the C library lays out so many for it.
const THREAD: u64 = 64 << 20;

/// Memory that is not counted otherwise.
const SPARE: u64 = 32 << 20;

/// Where control groups are.
const GROUPS: &str = "/sys/fs/cgroup";

/// How much more memory may be had for the work of some threads; `None` where no limit is known.
pub fn left(threads: usize) -> Option<u64> {
    let status = fs::read_to_string("/proc/self/status").ok()?;
    let used = |field: &str| kilobytes(&status, field).unwrap_or(0);
    let limits = fs::read_to_string("/proc/self/limits").unwrap_or_default();
    let own = [
        ("Max address space", used("VmSize:")),
        ("Max data size", used("VmData:")),
    ];
    let own = own.into_iter().filter_map(|(limit, used)| {
        let limit = bytes(&limits, limit)?;
        let left = limit.saturating_sub(used + THREAD * threads as u64);
        // What the library lays out may be laid out already, and it does with less.
        Some(left.max(limit / 8))
    });
    let groups = fs::read_to_string("/proc/self/cgroup").unwrap_or_default();
    let groups = of_groups(&groups, Path::new(GROUPS));
    let groups = groups.map(|limit| limit.saturating_sub(used("VmRSS:") + SPARE));
    own.chain(groups).min()
}

/// A number of kilobytes in `/proc/self/status` (proc_pid_status(5)).
fn kilobytes(status: &str, field: &str) -> Option<u64> {
    let line = status.lines().find_map(|line| line.strip_prefix(field))?;
    let number = line.trim().strip_suffix("kB")?.trim();
    number.parse::<u64>().ok()?.checked_mul(1024)
}

/// A limit in `/proc/self/limits` (proc_pid_limits(5)): that which holds now.
fn bytes(limits: &str, limit: &str) -> Option<u64> {
    let line = limits.lines().find_map(|line| line.strip_prefix(limit))?;
    line.split_whitespace().next()?.parse().ok()
}

/// The least that the groups of `/proc/self/cgroup` and those above them allow, in both versions.
fn of_groups(groups: &str, root: &Path) -> Option<u64> {
    let limits = groups.lines().flat_map(|line| {
        let mut parts = line.splitn(3, ':').skip(1);
        let (controllers, path) = (parts.next().unwrap_or(""), parts.next().unwrap_or("/"));
        let (base, file) = match controllers {
            "" => (root.to_owned(), "memory.max"),
            _ if controllers.split(',').any(|one| one == "memory") => {
                (root.join("memory"), "memory.limit_in_bytes")
            }
            _ => return Vec::new(),
        };
        let path = path.trim_start_matches('/');
        // In a container the path may be one of the machine outside: the root is its own group then.
        let above = Path::new(path).ancestors().map(|above| base.join(above));
        let files = above.map(|group: PathBuf| group.join(file));
        files
            .filter_map(|file| fs::read_to_string(file).ok()?.trim().parse::<u64>().ok())
            .collect()
    });
    // "max" is no number, and the first version says a very large one.
    limits.filter(|limit| *limit < 1 << 60).min()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn limits_are_read_as_linux_writes_them() {
        let limits = "Limit                     Soft Limit           Hard Limit           Units     \n\
            Max data size             unlimited            unlimited            bytes     \n\
            Max address space         536870912            unlimited            bytes     \n";
        assert_eq!(bytes(limits, "Max address space"), Some(512 << 20));
        assert_eq!(bytes(limits, "Max data size"), None);
        let status = "Name:\tkiln\nVmSize:\t  123456 kB\nVmRSS:\t      99 kB\n";
        assert_eq!(kilobytes(status, "VmSize:"), Some(123_456 << 10));
        assert_eq!(kilobytes(status, "VmData:"), None);
    }

    #[test]
    fn the_narrowest_group_holds() {
        let root = tempfile::tempdir().expect("a folder");
        let put = |file: &str, text: &str| {
            let path = root.path().join(file);
            fs::create_dir_all(path.parent().expect("a folder")).expect("room");
            fs::write(path, text).expect("room");
        };
        put("tern/memory.max", "1073741824\n");
        put("tern/point/memory.max", "max\n");
        put("memory/batch/memory.limit_in_bytes", "536870912\n");
        put("memory/memory.limit_in_bytes", "9223372036854771712\n");
        let of = |groups: &str| of_groups(groups, root.path());
        assert_eq!(of("0::/tern/point\n"), Some(1 << 30));
        assert_eq!(of("4:memory:/batch\n3:cpuset:/\n0::/\n"), Some(512 << 20));
        assert_eq!(of("4:cpu,memory:/other\n"), None);
        assert_eq!(of(""), None);
    }
}
