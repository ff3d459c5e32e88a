"""Sets kiln deliver beside plain copying clients, in one run on this machine: curl to Apache's WebDAV over TLS, sftp to
sshd, cp for bundles. 2,000 files of 250 KB on average, 500 MB together.

    python3 benches/deliver_beside_copying.py target/release/kiln [FILES]

Needs apache2, sshd, sftp, curl and openssl of Debian, and the packages xxhash, pyftpdlib and moto of PyPI (the last two
since the servers are those of the tests).
"""

import json
import os
import pathlib
import random
import resource
import shutil
import subprocess
import sys
import tempfile
import time

import xxhash

sys.path.insert(0, str(pathlib.Path(__file__).resolve().parent.parent / "crates/cli/tests/scripts"))
import servers

KILN = pathlib.Path(sys.argv[1]).resolve()
FILES = int(sys.argv[2]) if len(sys.argv) > 2 else 2000
ROUNDS = 3


def fired(folder):
    """An out folder whose ledger knows all that is in it."""
    dice, originals = random.Random(7), {}
    for number in range(FILES):
        name = f"rooms-{number % 20:02}/piece-{number:05}-800.webp"
        data = dice.randbytes(int(250_000 * (0.5 + dice.random())))
        path = folder / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(data)
        made = {"kiln": "0", "digest": xxhash.xxh3_128(data).hexdigest(), "weight": len(data), "coding": {"dial": 80}, "score": 80.0,
                "verdict": "met", "fits": True, "flattened": False, "shrunk": None, "trail": []}
        piece = {"place": None, "size": {"width": 800, "height": 600}, "format": "webp", "recipe": "r", "made": made}
        originals[f"../originals/{number:05}.jpg"] = {"digest": f"{number:032x}", "pieces": {name: piece}}
    (folder / "kiln-ledger.json").write_text(json.dumps({"schema": 5, "kiln": "0", "originals": originals}))


def timed(*command, **more):
    start = time.monotonic()
    done = subprocess.run([str(part) for part in command], capture_output=True, **more)
    if done.returncode:
        raise SystemExit(done.stderr.decode())
    return time.monotonic() - start


def told(what, plain, ours, again):
    best = min(ours) / min(plain)
    print(f"{what}: plain {min(plain):.2f} s, kiln {min(ours):.2f} s ({best:.2f} times), nothing new {min(again):.2f} s")


here = pathlib.Path(tempfile.mkdtemp(prefix="kiln-bench-"))
servers.WANTED["home"] = str(here / "home")
try:
    upload = here / "upload"
    fired(upload)
    ledger = (upload / "kiln-ledger.json").read_bytes()
    servers.certificates()
    dav, ssh = servers.apache(), servers.sshd()
    ssh["known"](ssh["port"])
    env = {**os.environ, "HOME": servers.WANTED["home"], "KILN_PASSWORD": "lamp"}
    without = {name: value for name, value in env.items() if name != "KILN_PASSWORD"}
    pieces = sorted(path for path in upload.rglob("*.webp"))

    def deliver(server, path, environment):
        return timed(KILN, "deliver", server["at"](server["port"], path), "--quiet", *server["more"], cwd=here, env=environment)

    def copied(what, plain, server, environment):
        times = ([], [], [])
        for number in range(ROUNDS):
            (upload / "kiln-ledger.json").write_bytes(ledger)
            times[0].append(plain(f"plain-{number}"))
            times[1].append(deliver(server, f"kiln-{number}", environment))
            times[2].append(deliver(server, f"kiln-{number}", environment))
            for folder in ("plain", "kiln"):
                shutil.rmtree(server["root"] / f"{folder}-{number}")
        told(what, *times)

    def curl(folder):
        for one in {path.parent.name for path in pieces}:
            (dav["root"] / folder / one).mkdir(parents=True)
        subprocess.run(["chmod", "-R", "777", dav["root"] / folder], check=True)
        lines = [f'user = "keeper:lamp"\ncacert = "{servers.ROOT}/ca.pem"\nsilent']
        for path in pieces:
            address = f"https://localhost:{dav['port']}/{folder}/{path.relative_to(upload)}"
            lines.append(f'upload-file = "{path}"\nurl = "{address}"\noutput = "/dev/null"')
        (here / "curl").write_text("\n".join(lines) + "\n")
        return timed("curl", "-K", here / "curl")

    def sftp(folder):
        (here / "sftp").write_text(f"put -r {upload} {ssh['root']}/{folder}\n")
        return timed("sftp", "-q", "-i", servers.ROOT / "sftp/id", "-P", ssh["port"], "-o", f"UserKnownHostsFile={here}/home/.ssh/known_hosts",
                     "-b", here / "sftp", "localhost")

    copied("WebDAV", curl, dav, env)
    copied("SFTP", sftp, ssh, without)
    cp, bundle = [], []
    for number in range(ROUNDS):
        (upload / "kiln-ledger.json").write_bytes(ledger)
        cp.append(timed("cp", "-r", upload, here / "copy"))
        shutil.rmtree(here / "copy")
        bundle.append(timed(KILN, "deliver", here / "bundle.zip", "--quiet", cwd=here, env=env))
        (here / "bundle.zip").unlink()
    print(f"bundle: cp {min(cp):.2f} s, kiln {min(bundle):.2f} s ({min(cp) / min(bundle):.2f} of its speed)")
    most = resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss
    print(f"most memory of any process: {most // 1024} MB")
finally:
    servers.ended()
    shutil.rmtree(here, ignore_errors=True)
