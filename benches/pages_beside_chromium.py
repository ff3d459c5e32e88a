"""What `kiln page` says of pages, beside what Chromium does with them.

  python3 benches/pages_beside_chromium.py target/release/kiln FOLDER PAGE...

such as `/usr/share/doc/python3.11/html about.html`. For each page of the folder: the pictures that
Chromium's network log names beside those that kiln takes to be loaded, at 1440x900; and the seconds
until all has come over three links beside those of the load model. The server behaves like a link: the
name, a connection and a request cost a round trip each, and all bytes share the rate. Needs chromedriver.
"""
import json, os, socket, subprocess, sys, threading, time, urllib.parse, urllib.request

KILN, FOLDER, PAGES = sys.argv[1], sys.argv[2], sys.argv[3:]
LINKS = {"slow phone": (1.6e6, 0.3), "fast phone": (12e6, 0.07), "cable": (50e6, 0.02)}
KINDS = {"html": "text/html", "css": "text/css", "js": "text/javascript", "svg": "image/svg+xml",
         "png": "image/png", "gif": "image/gif", "webp": "image/webp", "jpg": "image/jpeg"}
SCREEN = {"width": 1440, "height": 900, "pixelRatio": 1, "mobile": False, "touch": False}
SCROLL = """const told = arguments[0];
(async () => {
  for (let y = 0; y < document.documentElement.scrollHeight; y += 400) {
    scrollTo(0, y);
    await new Promise(go => setTimeout(go, 30));
  }
  await new Promise(go => setTimeout(go, 400));
  told(1);
})();"""
ENDS = """return Math.max(performance.timing.responseEnd - performance.timing.navigationStart,
  ...performance.getEntriesByType("resource").map(one => one.responseEnd)) / 1000;"""


class Link:
    """A server at the other end of a link; a rate of 0 is none."""

    def __init__(self, rate, delay):
        self.rate, self.delay, self.lock = rate / 8, delay, threading.Lock()
        self.free, self.known = 0.0, False
        self.listener = socket.create_server(("127.0.0.1", 0))
        self.address = f"http://127.0.0.1:{self.listener.getsockname()[1]}/"
        threading.Thread(target=self.listen, daemon=True).start()

    def listen(self):
        while True:
            connection, _ = self.listener.accept()
            threading.Thread(target=self.serve, args=(connection,), daemon=True).start()

    def serve(self, connection):
        greeting, heard = self.delay, b""
        try:
            while True:
                while b"\r\n\r\n" not in heard:
                    more = connection.recv(65536)
                    if not more:
                        return
                    heard += more
                head, heard = heard.split(b"\r\n\r\n", 1)
                with self.lock:
                    name, self.known = (0 if self.known else self.delay), True
                time.sleep(name + greeting + self.delay)
                greeting = 0
                path = urllib.parse.unquote(head.split(b" ")[1].decode().split("?")[0].lstrip("/"))
                self.answer(connection, os.path.join(FOLDER, path))
        except OSError:
            pass

    def answer(self, connection, path):
        if not os.path.isfile(path):
            return connection.sendall(b"HTTP/1.1 404 No\r\nContent-Length: 0\r\n\r\n")
        with open(path, "rb") as file:
            body = file.read()
        kind = KINDS.get(path.rsplit(".", 1)[-1].lower(), "application/octet-stream")
        whole = f"HTTP/1.1 200 OK\r\nContent-Type: {kind}\r\nContent-Length: {len(body)}\r\n\r\n".encode() + body
        for start in range(0, len(whole), 1448):
            part = whole[start:start + 1448]
            if self.rate:
                with self.lock:
                    self.free = max(self.free, time.monotonic()) + len(part) / self.rate
                    wait = self.free - time.monotonic()
                if wait > 0.002:
                    time.sleep(wait)
            connection.sendall(part)


class Browser:
    def __init__(self):
        port = socket.create_server(("127.0.0.1", 0)).getsockname()[1]
        self.address = f"http://127.0.0.1:{port}/"
        quiet = dict(stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
        self.driver = subprocess.Popen(["chromedriver", f"--port={port}"], **quiet)
        for _ in range(100):
            try:
                return self.ask("GET", "status") and None
            except OSError:
                time.sleep(0.1)

    def ask(self, method, path, body=None):
        data = None if body is None else json.dumps(body).encode()
        request = urllib.request.Request(self.address + path, data, {"content-type": "application/json"}, method=method)
        with urllib.request.urlopen(request) as answer:
            return json.load(answer)["value"]

    def visit(self, address):
        """The pictures that were asked for, and the second at which the last file had come."""
        options = {"args": ["--headless", "--no-sandbox", "--disable-gpu"], "mobileEmulation": {"deviceMetrics": SCREEN}}
        wanted = {"browserName": "chrome", "goog:chromeOptions": options, "goog:loggingPrefs": {"performance": "ALL"}}
        session = "session/" + self.ask("POST", "session", {"capabilities": {"alwaysMatch": wanted}})["sessionId"]
        self.ask("POST", session + "/timeouts", {"pageLoad": 180000, "script": 60000})
        self.ask("POST", session + "/url", {"url": address})
        seconds = self.ask("POST", session + "/execute/sync", {"script": ENDS, "args": []})
        self.ask("POST", session + "/execute/async", {"script": SCROLL, "args": []})
        log = [json.loads(one["message"])["message"] for one in self.ask("POST", session + "/se/log", {"type": "performance"})]
        self.ask("DELETE", session)
        sent = [one["params"] for one in log if one["method"] == "Network.requestWillBeSent"]
        asked = {one["request"]["url"].split("#")[0] for one in sent if one.get("type") == "Image"}
        return {one for one in asked if not one.startswith("data:") and not one.endswith("/favicon.ico")}, seconds


def page(address):
    command = [KILN, "page", address, "--json", "--headers-only", "--viewport", "1440x900@1"]
    return json.loads(subprocess.run(command, capture_output=True, check=False).stdout)


browser = Browser()
try:
    errors = []
    for name in PAGES:
        near = Link(0, 0)
        asked, _ = browser.visit(near.address + name)
        told = page(near.address + name)
        pictures = [p for p in told["pictures"] if not p["address"].startswith("data:")]
        known = {p["address"] for p in pictures}
        loaded = {p["address"] for p in pictures if p["loaded"]}
        icons = {p["address"] for p in pictures if any(u["role"] == "icon" for u in p["uses"])}
        print(f"{name}: {len(asked)} pictures; missed {len(asked - known)}, not told as loaded "
              f"{len((asked & known) - loaded - icons)}, invented {len(loaded - asked)}; did not come {len(told['troubles'])}")
        for link in told["pages"][0]["screens"][0]["loads"]:
            _, seconds = browser.visit(Link(*LINKS[link["link"]]).address + name)
            errors.append(link["with_pictures"] / seconds - 1)
            print(f"  {link['link']:11} {seconds:6.2f} s, by the model {link['with_pictures']:6.2f} s ({errors[-1]:+.0%})", flush=True)
    print(f"the model is {min(errors):+.0%} to {max(errors):+.0%} off")
finally:
    browser.driver.kill()
