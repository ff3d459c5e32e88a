"""Real servers on this machine, delivered to: what arrives, and what is left after each fault.

Reads {"kiln": program, "site": a fired site} from standard input, writes {server: {case: result}}; everything that
is not as it should be ends it with a trace.
"""

import getpass
import json
import os
import pathlib
import shutil
import socket
import subprocess
import sys
import tempfile
import threading
import time
import urllib.request

WANTED = {}
ROOT = pathlib.Path(tempfile.mkdtemp(prefix="kiln-servers-"))
AS_ROOT = os.geteuid() == 0
STARTED = []


def run(*command, **more):
    return subprocess.run([str(part) for part in command], check=True, capture_output=True, text=True, **more)


def port():
    with socket.socket() as one:
        one.bind(("127.0.0.1", 0))
        return one.getsockname()[1]


def started(*command, **more):
    one = subprocess.Popen([str(part) for part in command], stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, **more)
    STARTED.append(one)
    return one


def answers(at):
    for _ in range(200):
        with socket.socket() as one:
            if one.connect_ex(("127.0.0.1", at)) == 0:
                return at
        time.sleep(0.05)
    raise SystemExit(f"nothing answers at {at}")


class Cut:
    """Stands before a server and cuts the connection that carries so many bytes to it, once."""

    def __init__(self, upstream):
        self.upstream, self.left, self.port = upstream, None, port()
        self.listener = socket.create_server(("127.0.0.1", self.port))
        threading.Thread(target=self.serve, daemon=True).start()

    def serve(self):
        while True:
            near, _ = self.listener.accept()
            far = socket.create_connection(("127.0.0.1", self.upstream))
            threading.Thread(target=self.carry, args=(near, far, True), daemon=True).start()
            threading.Thread(target=self.carry, args=(far, near, False), daemon=True).start()

    def carry(self, source, sink, counts):
        try:
            while data := source.recv(4096):
                if counts and self.left is not None:
                    self.left -= len(data)
                    if self.left < 0:
                        self.left = None
                        break
                sink.sendall(data)
        except OSError:
            pass
        for one in (source, sink):
            try:
                one.shutdown(socket.SHUT_RDWR)
            except OSError:
                pass


def certificates():
    run("openssl", "req", "-x509", "-newkey", "rsa:2048", "-nodes", "-keyout", "ca.key", "-out", "ca.pem", "-days", "30",
        "-subj", "/CN=Tern Point", "-addext", "basicConstraints=critical,CA:TRUE", cwd=ROOT)
    (ROOT / "ext").write_text("subjectAltName=DNS:localhost,IP:127.0.0.1\nbasicConstraints=CA:FALSE\n")
    for name, days in (("good", "10"), ("old", "-1")):
        run("openssl", "req", "-newkey", "rsa:2048", "-nodes", "-keyout", f"{name}.key", "-out", f"{name}.csr",
            "-subj", "/CN=localhost", cwd=ROOT)
        run("openssl", "x509", "-req", "-in", f"{name}.csr", "-CA", "ca.pem", "-CAkey", "ca.key", "-CAcreateserial",
            "-out", f"{name}.pem", "-days", days, "-extfile", "ext", cwd=ROOT)
        both = (ROOT / f"{name}.key").read_text() + (ROOT / f"{name}.pem").read_text()
        (ROOT / f"{name}.both").write_text(both)


def folder(name):
    """A folder that a server writes to, and one on a disk that is full; None where none can be made."""
    plain, small = ROOT / name / "root", ROOT / name / "small"
    for one in (plain, small):
        one.mkdir(parents=True)
    mounted = AS_ROOT and subprocess.run(["mount", "-t", "tmpfs", "-o", "size=16k", "tmpfs", small], capture_output=True).returncode == 0
    if mounted:
        MOUNTED.append(small)
    for one in (plain, small):
        one.chmod(0o777)
    return plain, small if mounted else None


MOUNTED = []


def apache():
    plain, small = folder("webdav")
    (ROOT / "webdav" / "lock").mkdir()
    (ROOT / "webdav" / "lock").chmod(0o777)
    ROOT.chmod(0o755)
    password = run("openssl", "passwd", "-apr1", "lamp").stdout.strip()
    (ROOT / "users").write_text(f"keeper:{password}\n")
    modules = ["mpm_event", "authn_core", "authn_file", "authz_core", "authz_user", "auth_basic", "dav", "dav_fs", "ssl", "mime", "alias"]
    good, old = port(), port()
    conf = "\n".join(
        ["ServerRoot /usr/lib/apache2", f"PidFile {ROOT}/webdav/pid", "ServerName localhost", f"ErrorLog {ROOT}/webdav/log",
         f"Listen 127.0.0.1:{good}", f"Listen 127.0.0.1:{old}", "TypesConfig /etc/mime.types", f"DavLockDB {ROOT}/webdav/lock/db"]
        + [f"LoadModule {name}_module modules/mod_{name}.so" for name in modules]
        + (["User www-data", "Group www-data"] if AS_ROOT else [])
        + [f"DocumentRoot {plain}", f"Alias /small {ROOT}/webdav/small"]
        + [f"<Directory {ROOT}/webdav>\nDav On\nAuthType Basic\nAuthName t\nAuthUserFile {ROOT}/users\nRequire valid-user\n</Directory>"]
        + [f"<VirtualHost *:{at}>\nSSLEngine on\nSSLCertificateFile {ROOT}/{name}.pem\nSSLCertificateKeyFile {ROOT}/{name}.key\n</VirtualHost>"
           for at, name in ((good, "good"), (old, "old"))])
    (ROOT / "webdav.conf").write_text(conf + "\n")
    started("apache2", "-X", "-f", ROOT / "webdav.conf") if not AS_ROOT else started("apache2", "-DFOREGROUND", "-f", ROOT / "webdav.conf")
    answers(good)
    more = ["--authority", ROOT / "ca.pem", "--user", "keeper"]
    return {"at": lambda at, path: f"davs://localhost:{at}/{path}", "port": good, "old": old, "root": plain, "small": small and "small",
            "small root": small, "more": more, "wrong": {"KILN_PASSWORD": "wrong"}}


def sshd():
    plain, small = folder("sftp")
    home = ROOT / "sftp"
    for name in ("host", "id", "other"):
        run("ssh-keygen", "-q", "-t", "ed25519", "-N", "", "-f", home / name)
    shutil.copy(home / "id.pub", home / "authorized")
    at = port()
    (home / "conf").write_text(
        f"Port {at}\nListenAddress 127.0.0.1\nHostKey {home}/host\nAuthorizedKeysFile {home}/authorized\nUsePAM no\nStrictModes no\n"
        f"PidFile {home}/pid\nSubsystem sftp internal-sftp\nPermitRootLogin yes\n")
    if AS_ROOT:
        os.makedirs("/run/sshd", exist_ok=True)
    started(shutil.which("sshd") or "/usr/sbin/sshd", "-D", "-f", home / "conf")
    answers(at)
    key = (home / "host.pub").read_text().split()[:2]
    hosts = pathlib.Path(WANTED["home"]) / ".ssh" / "known_hosts"
    hosts.parent.mkdir(parents=True, exist_ok=True)

    def known(*ports):
        hosts.write_text("".join(f"[localhost]:{one} {' '.join(key)}\n" for one in ports))

    user = getpass.getuser()
    return {"at": lambda at, path: f"sftp://{user}@localhost:{at}{home}/root/{path}" if path != "small" else f"sftp://{user}@localhost:{at}{home}/small",
            "port": at, "root": plain, "small": small and "small", "small root": small, "more": ["--key-file", home / "id"],
            "wrong more": ["--key-file", home / "other"], "known": known}


FTPD = """
import sys
from pyftpdlib.authorizers import DummyAuthorizer
from pyftpdlib.handlers import TLS_FTPHandler
from pyftpdlib.servers import ThreadedFTPServer
users = DummyAuthorizer()
users.add_user("keeper", "lamp", sys.argv[1], perm="elradfmwMT")
class Handler(TLS_FTPHandler):
    authorizer, certfile, tls_control_required, tls_data_required = users, sys.argv[2], True, True
    def ftp_STOR(self, file, mode="w"):
        # By itself it says nothing at all of a full disk.
        if "/small/" in file:
            self.respond("552 Requested file action aborted, exceeded storage allocation.")
        else:
            return super().ftp_STOR(file, mode)
ThreadedFTPServer(("127.0.0.1", int(sys.argv[3])), Handler).serve_forever()
"""


def ftpd():
    plain, small = folder("ftps")
    good, old = port(), port()
    for at, name in ((good, "good"), (old, "old")):
        started(sys.executable, "-c", FTPD, ROOT / "ftps", ROOT / f"{name}.both", at)
        answers(at)
    return {"at": lambda at, path: f"ftps://keeper@localhost:{at}/{path if path == 'small' else 'root/' + path}", "port": good, "old": old,
            "root": plain, "small": "small", "small root": small or ROOT / "ftps" / "small", "more": ["--authority", ROOT / "ca.pem"],
            "wrong": {"KILN_PASSWORD": "wrong"}}


def store():
    at = port()
    started(sys.executable, "-c", "import sys; from moto.server import main; main(sys.argv[1:])", "-p", at)
    answers(at)
    urllib.request.urlopen(urllib.request.Request(f"http://127.0.0.1:{at}/tern", method="PUT"))
    return {"at": lambda at, path: f"bucket+http://127.0.0.1:{at}/tern/{path}", "port": at, "root": None, "small": None,
            "more": ["--unencrypted", "--user", "KEY"]}


class Site:
    """A copy of the fired site, and the program on it."""

    def __init__(self, server, name):
        self.server, self.path = server, ROOT / "sites" / name
        shutil.copytree(WANTED["site"], self.path)
        self.pieces = {str(path.relative_to(self.path / "img")): path.read_bytes()
                       for path in (self.path / "img").rglob("*") if path.suffix in (".webp", ".jpg")}

    def deliver(self, *more, at=None, path="site", secret=None, instead=None):
        server = self.server
        env = {**os.environ, "KILN_PASSWORD": "lamp", "HOME": WANTED["home"], **(secret or {})}
        if "known" in server:
            # A key logs in.
            env.pop("KILN_PASSWORD")
        command = [WANTED["kiln"], "deliver", server["at"](at or server["port"], path), "--json", *(instead or server["more"]), *more]
        done = subprocess.run([str(part) for part in command], cwd=self.path, env=env, capture_output=True, text=True, timeout=120)
        assert "panicked" not in done.stderr and "lamp" not in done.stderr.replace("lamp-room", ""), done.stderr
        files = json.loads(done.stdout)["files"] if done.stdout else []
        counts = {}
        for file in files:
            counts[file["outcome"]] = counts.get(file["outcome"], 0) + 1
        return done.returncode, counts, done.stderr.strip()

    def is_whole(self, below="site"):
        """How many files stand there; all of them are pieces, and whole."""
        root = self.server["root"] and self.server["root"] / below
        if root is None or not root.exists():
            return None
        there = {str(path.relative_to(root)): path.read_bytes() for path in root.rglob("*") if path.is_file()}
        shown = {name: data for name, data in there.items() if "kiln-part-" not in name}
        for name, data in shown.items():
            assert self.pieces[name] == data, f"{name} is not whole"
        return len(shown)


def cases(name, server):
    found = {}
    known = server.get("known", lambda *ports: None)
    known()
    site = Site(server, name)
    total = len(site.pieces)
    if "known" in server:
        code, _, said = site.deliver()
        assert code == 1 and "is not among the known hosts; its key is SHA256:" in said, said
        found["unknown host"] = said
        trust = said.split("--trust ")[1]
        code, counts, said = site.deliver("--trust", trust, path="trusted")
        assert (code, counts) == (0, {"sent": total}), said
        wrong = "SHA256:" + "A" * 43
        code, _, said = site.deliver("--trust", wrong)
        assert code == 1 and "not that of --trust" in said, said
    known(server["port"])

    code, counts, said = site.deliver()
    assert (code, counts) == (0, {"sent": total}), said
    assert site.is_whole() in (None, total)
    found["first"] = counts
    if name == "bucket":
        # What is said of a file to browsers goes with it.
        with open(site.path / "kiln.toml", "a") as kiln:
            kiln.write(f"[target.store]\nto = '{server['at'](server['port'], 'cached')}'\nuser = 'KEY'\nunencrypted = true\n"
                       "cache = { '*.webp' = 'public, max-age=60' }\n")
        run(WANTED["kiln"], "deliver", "store", "--quiet", cwd=site.path, env={**os.environ, "KILN_PASSWORD": "lamp"})
        signed = {"Authorization": "AWS4-HMAC-SHA256 Credential=KEY/20260101/us-east-1/s3/aws4_request, SignedHeaders=host, Signature=0"}
        heads = []
        for end in ("webp", "jpg"):
            asked = urllib.request.Request(f"http://127.0.0.1:{server['port']}/tern/cached/sea-90.{end}", headers=signed)
            heads.append(urllib.request.urlopen(asked).headers)
        told = [(head["Content-Type"], head["Cache-Control"]) for head in heads]
        assert told == [("image/webp", "public, max-age=60"), ("image/jpeg", None)], told
        found["headers"] = told
    code, counts, said = site.deliver("--verify")
    assert (code, counts) == (0, {"there": total}), said
    found["second, read back"] = counts

    shutil.copy(site.path / "in/sea.jpg", site.path / "in/fog.jpg")
    run(WANTED["kiln"], "fire", "--quiet", cwd=site.path)
    site.pieces = {one: (site.path / "img" / one).read_bytes() for one in site.pieces}
    code, counts, said = site.deliver()
    assert (code, counts) == (0, {"replaced": 2, "there": total - 2}), (counts, said)
    assert site.is_whole() in (None, total)
    found["two changed"] = counts

    if "wrong" in server or "wrong more" in server:
        code, counts, said = site.deliver(secret=server.get("wrong"), instead=server.get("wrong more"))
        assert code == 1 and not counts and ("does not" in said), said
        found["wrong password or key"] = said
    if "old" in server:
        code, counts, said = site.deliver(at=server["old"])
        assert code == 1 and "certificate" in said and "xpired" in said, said
        found["expired certificate"] = said

    cut = Cut(server["port"])
    known(server["port"], cut.port)
    broken = Site(server, name + "-cut")
    # About the middle of all that goes over that connection.
    weight = sum(map(len, broken.pieces.values()))
    middle = {"ftps": 2200, "bucket": 3600}.get(name, weight // 2 + 6000)
    cut.left = middle
    code, counts, said = broken.deliver("--at-once", "1", "--tries", "1", at=cut.port, path="cut")
    assert code == 1 and counts.get("sent", 0) < total, (counts, said)
    assert broken.is_whole("cut") in (None, counts.get("sent", 0)), counts
    found["cut"] = f"{counts}: {said.splitlines()[0] if said else ''}"
    sent = counts.get("sent", 0)
    code, counts, said = broken.deliver(at=cut.port, path="cut")
    assert code == 0 and counts.get("sent", 0) == total - sent and counts.get("there", 0) == sent, (counts, said)
    assert broken.is_whole("cut") in (None, total)
    found["the rest after it"] = counts

    cut.left = middle
    patient = Site(server, name + "-patient")
    code, counts, said = patient.deliver("--at-once", "1", at=cut.port, path="patient")
    assert (code, counts) == (0, {"sent": total}), (counts, said)
    found["cut, with tries"] = counts

    if server["small"]:
        full = Site(server, name + "-full")
        filler = server["small root"] / "filler"
        filler.write_bytes(b"x" * 4096)
        code, counts, said = full.deliver("--at-once", "1", "--tries", "1", path="small")
        assert code == 1 and "no room" in said, said
        there = [path for path in server["small root"].rglob("*") if path.is_file() and path != filler]
        for path in there:
            one = str(path.relative_to(server["small root"]))
            assert "kiln-part-" in one or full.pieces[one] == path.read_bytes(), one
        found["full disk"] = f"{counts}: {said.splitlines()[-1]}"

    if server["root"]:
        refused = Site(server, name + "-refused")
        (server["root"] / "refused" / "sea-90.webp" / "x").mkdir(parents=True)
        for path in (server["root"] / "refused").rglob("*"):
            path.chmod(0o777)
        (server["root"] / "refused").chmod(0o777)
        code, counts, said = refused.deliver("--tries", "1", path="refused")
        assert code == 1 and "sea-90.webp: " in said and counts.get("sent") == total - 1, (counts, said)
        found["a name that is taken"] = said
        shutil.rmtree(server["root"] / "refused" / "sea-90.webp")
        code, counts, said = refused.deliver(path="refused")
        assert (code, counts) == (0, {"sent": 1, "there": total - 1}), (counts, said)
    return found


def ended():
    for one in STARTED:
        one.terminate()
    for one in STARTED:
        one.wait(20)
    for one in MOUNTED:
        subprocess.run(["umount", one])
    shutil.rmtree(ROOT, ignore_errors=True)


if __name__ == "__main__":
    WANTED.update(json.load(sys.stdin))
    try:
        certificates()
        results = {}
        for name, server in (("webdav", apache), ("sftp", sshd), ("ftps", ftpd), ("bucket", store)):
            results[name] = cases(name, server())
        print(json.dumps(results, indent=1))
    finally:
        ended()
