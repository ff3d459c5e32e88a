"""Whole manuals, fired and rewired, beside themselves before, in a real browser.

Reads the path of the program, that of the sample site and folders of manuals as JSON, and prints what was found in each: pages, and
everything that is worse than before. Needs chromedriver, Pillow and html5lib.
"""
import base64, functools, http.server, io, json, os, re, shutil, socket, subprocess, sys, tempfile, threading, time
import urllib.request

import html5lib
from PIL import Image, ImageChops, ImageDraw

PAGES = 5
SCREENS = [(390, 844, 2), (820, 1180, 1), (1440, 900, 1)]
KILN = """originals = "site"
out = "site/pieces"
[every]
scale = "100%"
pace = "quick"
"""
ARRIVED = """const told = arguments[0];
(async () => {
  const sleep = time => new Promise(go => setTimeout(go, time));
  for (let y = 0; y < document.documentElement.scrollHeight; y += 700) { scrollTo(0, y); await sleep(20); }
  scrollTo(0, 0);
  for (let n = 0; n < 100 && [...document.images].some(one => !one.complete); n++) await sleep(20);
  const shifts = performance.getEntriesByType ? await new Promise(go => {
    let sum = 0;
    new PerformanceObserver(list => list.getEntries().forEach(one => sum += one.value)).observe({type: "layout-shift", buffered: true});
    setTimeout(() => go(sum), 60);
  }) : 0;
  const boxes = [...document.querySelectorAll("img, video, object, embed, input[type=image]")].map(one => one.getBoundingClientRect())
    .map(box => [box.left + scrollX, box.top + scrollY, box.right + scrollX, box.bottom + scrollY]);
  for (const one of document.querySelectorAll("*")) {
    if (getComputedStyle(one).backgroundImage.includes("url(")) {
      const box = one.getBoundingClientRect();
      boxes.push([box.left + scrollX, box.top + scrollY, box.right + scrollX, box.bottom + scrollY]);
    }
  }
  told({ empty: [...document.images].filter(one => one.currentSrc && !one.naturalWidth).map(one => one.currentSrc),
         images: document.images.length, shifts, boxes, height: document.documentElement.scrollHeight });
})();"""


class Site(http.server.SimpleHTTPRequestHandler):
    """A folder, served; addresses that are not there are kept."""
    missing = []

    def log_message(self, *_):
        pass

    def send_error(self, code, *rest):
        if not self.path.endswith("favicon.ico"):
            Site.missing.append(self.path)
        super().send_error(code, *rest)


def served(folder):
    handler = functools.partial(Site, directory=folder)
    server = http.server.ThreadingHTTPServer(("127.0.0.1", 0), handler)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    return f"http://127.0.0.1:{server.server_port}/"


class Browser:
    def __init__(self):
        with socket.create_server(("127.0.0.1", 0)) as free:
            port = free.getsockname()[1]
        self.driver = subprocess.Popen(["chromedriver", f"--port={port}"], stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
        self.root = f"http://127.0.0.1:{port}"
        for _ in range(100):
            try:
                urllib.request.urlopen(self.root + "/status")
                break
            except OSError:
                time.sleep(0.1)
        options = {"args": ["--headless", "--no-sandbox", "--disable-gpu", "--hide-scrollbars"]}
        wanted = {"capabilities": {"alwaysMatch": {"browserName": "chrome", "goog:chromeOptions": options}}}
        self.session = f"{self.root}/session/" + self.ask("/session", wanted)["sessionId"]
        self.ask("/timeouts", {"script": 60000, "pageLoad": 60000})

    def ask(self, path, body):
        root = self.root if path == "/session" else self.session
        request = urllib.request.Request(root + path, json.dumps(body).encode(), {"Content-Type": "application/json"})
        return json.load(urllib.request.urlopen(request, timeout=120))["value"]

    def tell(self, command, **parameters):
        return self.ask("/goog/cdp/execute", {"cmd": command, "params": parameters})

    def seen(self, address, screen):
        width, height, density = screen
        metrics = {"width": width, "deviceScaleFactor": density, "mobile": False}
        self.tell("Emulation.setDeviceMetricsOverride", height=height, **metrics)
        Site.missing.clear()
        self.ask("/url", {"url": address})
        found = self.ask("/execute/async", {"script": ARRIVED, "args": []})
        found["missing"] = sorted(set(Site.missing))
        tall = min(found["height"], 12000)
        self.tell("Emulation.setDeviceMetricsOverride", height=tall, **metrics)
        shot = self.tell("Page.captureScreenshot", format="png")["data"]
        found["shot"] = Image.open(io.BytesIO(base64.b64decode(shot))).convert("RGB")
        return found

    def end(self):
        request = urllib.request.Request(self.session, method="DELETE")
        urllib.request.urlopen(request)
        self.driver.terminate()


def outside(shot, boxes, density):
    """The shot without its pictures."""
    shot = shot.copy()
    draw = ImageDraw.Draw(shot)
    for box in boxes:
        left, top, right, bottom = (edge * density for edge in box)
        draw.rectangle([left - 1, top - 1, right + 1, bottom + 1], fill="black")
    return shot


def mistakes(path):
    parser = html5lib.HTMLParser()
    with open(path, "rb") as page:
        parser.parse(page)
    return len(parser.errors)


def pages(folder):
    """Pages that show pictures, spread over the manual."""
    shows = re.compile(rb"<img|<image|background=|<object", re.I)
    found = []
    for root, folders, files in os.walk(folder):
        folders.sort()
        for name in sorted(files):
            path = os.path.join(root, name)
            if name.endswith((".html", ".htm")) and shows.search(open(path, "rb").read()):
                found.append(os.path.relpath(path, folder))
    step = max(1, len(found) // PAGES)
    return found[::step][:PAGES]


def arrives(old, new, roots, at):
    """What does not arrive that arrived before, and how much more shifts."""
    worse = []
    fresh = set(new["empty"]) - {one.replace(roots[0], roots[1]) for one in old["empty"]}
    if fresh:
        worse.append(f"{at}: not decoded: {sorted(fresh)}")
    if set(new["missing"]) - set(old["missing"]):
        worse.append(f"{at}: missing: {new['missing']}")
    if new["shifts"] > old["shifts"] + 1e-4:
        worse.append(f"{at}: shifts by {new['shifts']:.4f}, {old['shifts']:.4f} before")
    return worse


def sample(folder, browser):
    """The sample site, whose logos are shown without their borders afterwards: its pages arrive as before."""
    root, worse = served(folder), []
    tried = [name for name in sorted(os.listdir(folder)) if name.endswith(".html")]
    for page in tried:
        if mistakes(os.path.join(folder, page)) > mistakes(os.path.join(folder, "before", page)):
            worse.append(f"{page}: more mistakes of HTML")
        for screen in SCREENS:
            old, new = (browser.seen(root + page, screen) for page in ("before/" + page, page))
            # It leads nowhere on purpose, and waits until it is scrolled to.
            for told in ("empty", "missing"):
                new[told] = [one for one in new[told] if not one.endswith("/IMG_2112.jpg")]
            worse += arrives(old, new, (root, root), f"{page} at {screen[0]}")
    return {"pages": len(tried), "worse": worse}


def manual(kiln, folder, browser):
    worse = []
    with tempfile.TemporaryDirectory() as scratch:
        site, before = os.path.join(scratch, "site"), os.path.join(scratch, "before")
        shutil.copytree(folder, site)
        open(os.path.join(scratch, "kiln.toml"), "w").write(KILN)
        run = lambda *words: subprocess.run([kiln, *words], cwd=scratch, capture_output=True, text=True)
        fired = run("fire", "--quiet")
        shutil.copytree(site, before)
        report = json.loads(run("rewire", "site", "--json").stdout)
        again = json.loads(run("rewire", "site", "--json").stdout)
        if again["files"]:
            worse.append(f"a second run changes {again['files']}")
        roots = served(before), served(site)
        tried = pages(before)
        # The first page of all is laid out while fonts are still looked for.
        browser.seen(roots[0] + tried[0], SCREENS[0])
        for page in tried:
            old, new = (mistakes(os.path.join(root, page)) for root in (before, site))
            if new > old:
                worse.append(f"{page}: {new} mistakes of HTML, {old} before")
            for screen in SCREENS:
                old, new = (browser.seen(root + page.replace("%", "%25").replace(" ", "%20"), screen) for root in roots)
                at = f"{page} at {screen[0]}"
                worse += arrives(old, new, roots, at)
                if new["shot"].size != old["shot"].size:
                    worse.append(f"{at}: {new['shot'].size}, {old['shot'].size} before")
                    continue
                boxes = old["boxes"] + new["boxes"]
                bare = [outside(one["shot"], boxes, screen[2]) for one in (old, new)]
                if ImageChops.difference(*bare).getbbox():
                    worse.append(f"{at}: differs beside its pictures")
                shots = [os.path.join(scratch, name) for name in ("old.png", "new.png")]
                for shot, one in zip(shots, (old, new)):
                    one["shot"].save(shot)
                if ImageChops.difference(old["shot"], new["shot"]).getbbox():
                    score = json.loads(run("proof", *shots, "--json").stdout)["score"]
                    if score < 75:
                        worse.append(f"{at}: scores {score:.1f} against before")
    notes = {}
    for note in report["notes"]:
        notes[note["matter"]] = notes.get(note["matter"], 0) + 1
    return {"pages": len(tried), "references": report["references"], "files": len(report["files"]),
            "fired": fired.returncode, "notes": notes, "worse": worse}


def main():
    wanted = json.load(sys.stdin)
    browser = Browser()
    try:
        found = {folder: manual(wanted["kiln"], folder, browser) for folder in wanted["manuals"]}
        found["sample"] = sample(wanted["sample"], browser)
        print(json.dumps(found, indent=1))
    finally:
        browser.end()


main()
