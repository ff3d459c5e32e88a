"""Real servers on this machine, delivered to: what arrives, and what is left after each fault.

Reads {"kiln": program, "site": a fired site} from standard input, writes {server: {case: result}}; everything that
is not as it should be ends it with a trace.
"""

import getpass
import hashlib
import html
import http.server
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
import urllib.error
import urllib.parse
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
    """Stands before a server and cuts the connection that carries so many bytes to it, once; before that it may hold
    it for some seconds."""

    def __init__(self, upstream):
        self.upstream, self.left, self.hold, self.port = upstream, None, 0, port()
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
                        time.sleep(self.hold)
                        break
                sink.sendall(data)
        except OSError:
            pass
        for one in (source, sink):
            try:
                one.shutdown(socket.SHUT_RDWR)
            except OSError:
                pass


class Front(http.server.BaseHTTPRequestHandler):
    """Stands before a server that speaks HTTP: it is busy for the first files, or tells the first list of files wrongly."""

    protocol_version, upstream, busy, lies = "HTTP/1.1", None, 0, 0

    def do(self):
        body = self.rfile.read(int(self.headers.get("Content-Length", 0)))
        if self.command == "PUT" and Front.busy:
            Front.busy -= 1
            return self.answer(429, {"Retry-After": "1"}, b"")
        asked = urllib.request.Request(f"http://127.0.0.1:{Front.upstream}{self.path}", data=body or None, method=self.command,
                                       headers=dict(self.headers))
        try:
            with urllib.request.urlopen(asked) as told:
                status, head, data = told.status, told.headers, told.read()
        except urllib.error.HTTPError as error:
            status, head, data = error.code, error.headers, error.read()
        if Front.lies and b"<Size>" in data:
            Front.lies -= 1
            data = data.replace(b"<Size>", b"<Size>1", 1)
        self.answer(status, head, data)

    def answer(self, status, head, data):
        self.send_response(status)
        for name, value in head.items():
            if name.lower() not in ("content-length", "connection", "date", "server", "transfer-encoding"):
                self.send_header(name, value)
        self.send_header("Content-Length", str(len(data)))
        self.end_headers()
        self.wfile.write(data)

    def log_message(self, *_):
        pass

    do_GET = do_PUT = do_POST = do_DELETE = do_HEAD = do


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

# Who asks the object store, which believes it.
SIGNED = {"Authorization": "AWS4-HMAC-SHA256 Credential=KEY/20260101/us-east-1/s3/aws4_request, SignedHeaders=host, Signature=0"}


def apache():
    plain, small = folder("webdav")
    (ROOT / "webdav" / "lock").mkdir()
    (ROOT / "webdav" / "lock").chmod(0o777)
    ROOT.chmod(0o755)
    password = run("openssl", "passwd", "-apr1", "lamp").stdout.strip()
    (ROOT / "users").write_text(f"keeper:{password}\n")
    modules = ["mpm_event", "authn_core", "authn_file", "authz_core", "authz_user", "auth_basic", "auth_digest", "dav", "dav_fs", "ssl", "mime", "alias"]
    digest = hashlib.md5(b"keeper:t:lamp").hexdigest()
    (ROOT / "digests").write_text(f"keeper:t:{digest}\n")
    good, old = port(), port()
    conf = "\n".join(
        ["ServerRoot /usr/lib/apache2", f"PidFile {ROOT}/webdav/pid", "ServerName localhost", f"ErrorLog {ROOT}/webdav/log",
         f"Listen 127.0.0.1:{good}", f"Listen 127.0.0.1:{old}", "TypesConfig /etc/mime.types", f"DavLockDB {ROOT}/webdav/lock/db"]
        + [f"LoadModule {name}_module modules/mod_{name}.so" for name in modules]
        + (["User www-data", "Group www-data"] if AS_ROOT else [])
        + [f"DocumentRoot {plain}", f"Alias /small {ROOT}/webdav/small"]
        + [f"<Directory {ROOT}/webdav>\nDav On\nAuthType Basic\nAuthName t\nAuthUserFile {ROOT}/users\nRequire valid-user\n</Directory>"]
        + [f"<Directory {plain}/answered>\nAuthType Digest\nAuthDigestProvider file\nAuthUserFile {ROOT}/digests\nAuthDigestNonceLifetime 1\n</Directory>"]
        + [f"<VirtualHost *:{at}>\nSSLEngine on\nSSLCertificateFile {ROOT}/{name}.pem\nSSLCertificateKeyFile {ROOT}/{name}.key\n</VirtualHost>"
           for at, name in ((good, "good"), (old, "old"))])
    (ROOT / "webdav.conf").write_text(conf + "\n")
    started("apache2", "-X", "-f", ROOT / "webdav.conf") if not AS_ROOT else started("apache2", "-DFOREGROUND", "-f", ROOT / "webdav.conf")
    answers(good)
    more = ["--authority", ROOT / "ca.pem", "--user", "keeper"]
    return {"at": lambda at, path: f"davs://localhost:{at}/{path}", "port": good, "old": old, "root": plain, "small": small and "small",
            "small root": small, "more": more, "wrong": {"KILN_PASSWORD": "wrong"}}


# Between a client and the SFTP server: says that the first regular files are shorter than they are, as often as a file says.
LYING = """
import pathlib, struct, subprocess, sys, threading
lies = pathlib.Path(sys.argv[1])
server = subprocess.Popen([sys.argv[2]], stdin=subprocess.PIPE, stdout=subprocess.PIPE)
def there():
    while data := sys.stdin.buffer.raw.read(65536):
        server.stdin.write(data)
        server.stdin.flush()
    server.stdin.close()
threading.Thread(target=there, daemon=True).start()
while head := server.stdout.read(4):
    packet = server.stdout.read(struct.unpack(">I", head)[0])
    kind, flags = packet[0], packet[5:9] == b"\\0\\0\\0\\x0f"
    if kind == 105 and flags and packet[25:29][2] & 0x80 and lies.exists() and (left := int(lies.read_text())):
        lies.write_text(str(left - 1))
        packet = packet[:9] + struct.pack(">Q", struct.unpack(">Q", packet[9:17])[0] - 1) + packet[17:]
    sys.stdout.buffer.write(head + packet)
    sys.stdout.buffer.flush()
"""


def sshd():
    plain, small = folder("sftp")
    home = ROOT / "sftp"
    for name in ("host", "id", "other"):
        run("ssh-keygen", "-q", "-t", "ed25519", "-N", "", "-f", home / name)
    shutil.copy(home / "id.pub", home / "authorized")
    (home / "lying.py").write_text(LYING)
    at, few = port(), port()
    if AS_ROOT:
        os.makedirs("/run/sshd", exist_ok=True)
    for one, more in ((at, f"Subsystem sftp {sys.executable} {home}/lying.py {home}/lies /usr/lib/openssh/sftp-server\n"),
                      (few, "Subsystem sftp internal-sftp\nMaxStartups 1\n")):
        (home / f"conf-{one}").write_text(
            f"Port {one}\nListenAddress 127.0.0.1\nHostKey {home}/host\nAuthorizedKeysFile {home}/authorized\nUsePAM no\n"
            f"StrictModes no\nPidFile {home}/pid-{one}\nPermitRootLogin yes\n{more}")
        started(shutil.which("sshd") or "/usr/sbin/sshd", "-D", "-f", home / f"conf-{one}")
        answers(one)
    key = (home / "host.pub").read_text().split()[:2]
    hosts = pathlib.Path(WANTED["home"]) / ".ssh" / "known_hosts"
    hosts.parent.mkdir(parents=True, exist_ok=True)

    def known(*ports):
        hosts.write_text("".join(f"[localhost]:{one} {' '.join(key)}\n" for one in ports))

    user = getpass.getuser()
    return {"at": lambda at, path: f"sftp://{user}@localhost:{at}{home}/root/{path}" if path != "small" else f"sftp://{user}@localhost:{at}{home}/small",
            "port": at, "few": few, "root": plain, "small": small and "small", "small root": small, "more": ["--key-file", home / "id"],
            "lie": lambda: (home / "lies").write_text("2"),
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
    lied = set()
    def ftp_SIZE(self, path):
        if "/lying/kiln-part-" in path and path not in self.lied and len(self.lied) < 2:
            self.lied.add(path)
            return self.respond("213 7")
        return super().ftp_SIZE(path)
server = ThreadedFTPServer(("127.0.0.1", int(sys.argv[3])), Handler)
server.max_cons_per_ip = int(sys.argv[4])
server.serve_forever()
"""


def ftpd():
    plain, small = folder("ftps")
    good, old, few = port(), port(), port()
    for at, name, most in ((good, "good", 0), (old, "old", 0), (few, "good", 2)):
        started(sys.executable, "-c", FTPD, ROOT / "ftps", ROOT / f"{name}.both", at, most)
        answers(at)
    return {"at": lambda at, path: f"ftps://keeper@localhost:{at}/{path if path == 'small' else 'root/' + path}", "port": good, "old": old,
            "few": few, "lie": lambda: None, "root": plain, "small": "small", "small root": small or ROOT / "ftps" / "small", "more": ["--authority", ROOT / "ca.pem"],
            "wrong": {"KILN_PASSWORD": "wrong"}}


def store():
    at = port()
    started(sys.executable, "-c", "import sys; from moto.server import main; main(sys.argv[1:])", "-p", at)
    answers(at)
    urllib.request.urlopen(urllib.request.Request(f"http://127.0.0.1:{at}/tern", method="PUT"))
    Front.upstream, few = at, port()
    front = http.server.ThreadingHTTPServer(("127.0.0.1", few), Front)
    threading.Thread(target=front.serve_forever, daemon=True).start()

    def busy():
        Front.busy = 3

    def lie():
        Front.lies = 1

    return {"few": few, "be busy": busy, "lie": lie, "lie at": few, "at": lambda at, path: f"bucket+http://127.0.0.1:{at}/tern/{path}", "port": at, "root": None, "small": None,
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
    known(*(server[one] for one in ("port", "few") if one in server))

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
        heads = []
        for end in ("webp", "jpg"):
            asked = urllib.request.Request(f"http://127.0.0.1:{server['port']}/tern/cached/sea-90.{end}", headers=SIGNED)
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
    known(server["port"], cut.port, server.get("few"))
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

    # What comes too late is left, and tried again; the same where nothing comes from the beginning.
    for case, left in (("slow", middle), ("slow from the beginning", 0)):
        cut.left, cut.hold = left, 6
        code, counts, said = Site(server, f"{name}-{left}").deliver("--at-once", "1", "--timeout", "2", at=cut.port, path=case.replace(" ", "-"))
        assert (code, counts) == (0, {"sent": total}), (case, code, counts, said)
        found[case] = counts
    cut.hold = 0

    if "few" in server:
        server.get("be busy", lambda: None)()
        many = Site(server, name + "-many")
        code, counts, said = many.deliver("--at-once", "6", "--tries", "8", at=server["few"], path="many")
        assert (code, counts) == (0, {"sent": total}), (counts, said)
        assert many.is_whole("many") in (None, total)
        found["busy, or too many connections"] = counts

    if "lie" in server:
        told = Site(server, name + "-told")
        at = server.get("lie at")
        if name == "bucket":
            # Its lists come before and after; only the one after has anything to lie about.
            server["lie"]()
            code, counts, said = told.deliver("--at-once", "1", at=at, path="lying")
            assert code == 1 and "bytes stand there" in said, (counts, said)
            found["a list that lies"] = said
        else:
            server["lie"]()
        code, counts, said = told.deliver("--at-once", "1", at=at, path="lying")
        assert code == 0 and sum(counts.values()) == total, (counts, said)
        assert told.is_whole("lying") in (None, total)
        found["lengths that are wrong"] = counts

    if name == "webdav":
        # A folder whose server wants its challenge answered, with one that is good for a second.
        (server["root"] / "answered").mkdir()
        (server["root"] / "answered").chmod(0o777)
        answered = Site(server, "answered")
        code, counts, said = answered.deliver(path="answered")
        assert (code, counts) == (0, {"sent": total}), (counts, said)
        code, _, said = answered.deliver(path="answered", secret=server["wrong"])
        assert code == 1 and "does not know this user" in said, said
        found["a challenge"] = counts

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


class Elsewhere:
    """A site whose originals and pieces lie on a server."""

    def __init__(self, name, server, fired):
        self.server, self.fired = server, fired
        self.path = ROOT / "sites" / f"{name}-elsewhere"
        self.path.mkdir()
        shutil.copy(fired.path / "labels.csv", self.path)
        for file in (fired.path / "in").rglob("*"):
            if file.is_file():
                self.put(f"originals/{file.relative_to(fired.path / 'in')}", file.read_bytes())
        kiln = (WANTED["site"] / pathlib.Path("kiln.toml")).read_text()
        access = {"--authority": "authority", "--user": "user", "--key-file": "key-file"}
        said = dict(zip(server["more"][::2], server["more"][1::2])) if len(server["more"]) % 2 == 0 else dict([server["more"][-2:]])
        lines = [f"{key} = '{said[option]}'" for option, key in access.items() if option in said]
        lines += ["secret = 'env KILN_PASSWORD'"] * ("known" not in server) + ["unencrypted = true"] * ("--unencrypted" in server["more"])
        at = server["at"](server["port"], "")
        kiln = kiln.replace("'in'", f"'{at}originals'").replace("'img'", f"'{at}pieces'")
        (self.path / "kiln.toml").write_text(kiln + f"[access.there]\nto = '{at}'\n" + "\n".join(lines) + "\n")

    def put(self, name, data):
        if self.server["root"]:
            path = self.server["root"] / name
            for folder in reversed(path.relative_to(self.server["root"]).parents):
                (self.server["root"] / folder).mkdir(exist_ok=True)
                (self.server["root"] / folder).chmod(0o777)
            return path.write_bytes(data)
        self.asked("PUT", "/" + urllib.parse.quote(name), data)

    def asked(self, method, path, data=None):
        """What the object store answers."""
        headers = {**SIGNED, "Content-Type": "image/jpeg"} if data else SIGNED
        address = f"http://127.0.0.1:{self.server['port']}/tern{path}"
        return urllib.request.urlopen(urllib.request.Request(address, data=data, method=method, headers=headers), timeout=60).read()

    def names(self, below):
        """The names of all files below a folder of the server."""
        if root := self.server["root"]:
            return [str(path.relative_to(root / below)) for path in (root / below).rglob("*") if path.is_file()]
        listed = self.asked("GET", f"?list-type=2&prefix={below}/").decode()
        return [html.unescape(part.split("</Key>")[0])[len(below) + 1:] for part in listed.split("<Key>")[1:]]

    def there(self, below):
        """The same with their bytes."""
        def read(name):
            root = self.server["root"]
            return (root / below / name).read_bytes() if root else self.asked("GET", "/" + urllib.parse.quote(f"{below}/{name}"))
        return {name: read(name) for name in self.names(below)}

    def drop(self, name):
        if self.server["root"]:
            return (self.server["root"] / name).unlink()
        self.asked("DELETE", "/" + urllib.parse.quote(name))

    def begun(self, *more):
        env = {**os.environ, "KILN_PASSWORD": "lamp", "HOME": WANTED["home"]}
        command = [WANTED["kiln"], *more]
        return subprocess.Popen(command, cwd=self.path, env=env, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True)

    def run(self, *more):
        one = self.begun(*more)
        out, said = one.communicate(timeout=300)
        assert "panicked" not in said, said
        return one.returncode, out, said

    def is_whole(self):
        """The pieces are those of a firing on this machine, and nothing else is left but the ledger."""
        there = self.there("pieces")
        pieces = {name: data for name, data in there.items() if not name.startswith(".kiln-ledger/")}
        assert pieces == self.fired.pieces, (sorted(pieces), sorted(self.fired.pieces))
        code, out, said = self.run("ledger", "verify")
        assert code == 0, (out, said)


def elsewhere(name, server):
    fired = Site(server, f"{name}-fired")
    site = Elsewhere(name, server, fired)
    originals = site.there("originals")
    code, out, said = site.run("fire", "--json")
    assert code == 0, said
    site.is_whole()
    code, out, said = site.run("fire", "--json")
    states = [piece["state"] for one in json.loads(out)["originals"] for piece in one["pieces"]]
    assert code == 0 and set(states) == {"unchanged"} and len(states) == len(fired.pieces), (states, said)
    # Killed while it works: the next one finds out, and goes on.
    for piece in fired.pieces:
        site.drop(f"pieces/{piece}")
    begun = site.begun("fire", "--jobs", "1", "--quiet")
    for _ in range(2000):
        if any(not one.startswith((".kiln-", "kiln-part-")) for one in site.names("pieces")):
            break
        time.sleep(0.005)
    begun.kill()
    begun.communicate()
    code, out, said = site.run("fire", "--json")
    assert code == 0, said
    site.is_whole()
    # Parts side by side, one of them twice and one of them never.
    for piece in fired.pieces:
        site.drop(f"pieces/{piece}")
    runs = [site.begun("fire", "--part", part, "--quiet") for part in ("1/4", "2/4", "4/4")]
    ended = [one.communicate(timeout=300) + (one.returncode,) for one in runs]
    assert all(code == 0 for _, _, code in ended), ended
    code, out, parts_said = site.run("fire", "--gather", "--json")
    assert code == 0 and "part 3 did not come to an end" in out, (out, parts_said)
    site.is_whole()
    assert site.there("originals") == originals
    return {"pieces": len(states), "killed": said.strip(), "gathered": len(fired.pieces)}


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
            server = server()
            results[name] = cases(name, server)
            if name != "ftps":
                results[name]["originals and pieces there"] = elsewhere(name, server)
        print(json.dumps(results, indent=1))
    finally:
        ended()
