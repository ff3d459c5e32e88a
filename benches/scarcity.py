"""Whatever may be scarce while pictures are fired: room on the disk, permission to write, file descriptors, memory, an
out folder of one's own, and a clock that goes forward.

    python3 benches/scarcity.py KILN FOLDER-OF-PICTURES [CASE …]

Each case ends with a run that lacks nothing, whose files have to be those of a run that never did; before that every
run has to name what it could not do, leave no half file, and keep what it had. Needs root for the small disks (tmpfs) and
libfaketime (Debian's package faketime) for the clocks; what cannot be had is said.
"""

import json
import os
import pathlib
import resource
import shutil
import subprocess
import sys
import tempfile
import time

KILN = ""
FAKE = "/usr/lib/x86_64-linux-gnu/faketime/libfaketime.so.1"
SETTINGS = "originals = 'in'\nout = 'out'\n[every]\nwidth = 600\ndensities = [1]\nformats = ['jpeg', 'webp']\n"


def run(site, *more, env=None, before=None):
    done = subprocess.run([KILN, "fire", "--json", *more], cwd=site, capture_output=True, text=True,
                          env={**os.environ, **(env or {})}, preexec_fn=before, timeout=900)
    assert "panicked" not in done.stderr and done.returncode in (0, 1, 2), (done.returncode, done.stderr)
    if done.returncode == 0 and not more:
        assert not done.stderr, done.stderr
    if done.returncode:
        assert done.stderr.strip(), "a run that fails says why"
    return done


def files(out):
    """Pieces by their names, without the ledger; half files are none."""
    found = {}
    for path in out.rglob("*"):
        if path.is_file() and not path.name.startswith(("kiln-ledger", ".kiln-lock")):
            found[str(path.relative_to(out))] = path.read_bytes()
    return found


def is_as_it_should_be(site, out, wanted):
    assert files(out) == wanted, (sorted(files(out)), sorted(wanted))
    checked = subprocess.run([KILN, "ledger", "verify", "--out", out], cwd=site, capture_output=True, text=True)
    assert checked.returncode == 0, checked.stdout


def room(site, wanted):
    """A disk that fills at every size."""
    disk = site / "disk"
    disk.mkdir()
    mount = ["mount", "-t", "tmpfs", "-o"]
    if subprocess.run([*mount, "size=8k", "tmpfs", disk], capture_output=True).returncode:
        return "no small disk can be mounted here"
    outcomes = {}
    try:
        need = sum(len(one) for one in wanted.values()) // 1024
        for size in [8, 12, 16, 24, 32, *range(48, need + 128, 40)]:
            out = disk / "out"
            shutil.rmtree(out, ignore_errors=True)
            subprocess.run([*mount, f"remount,size={size}k", disk], check=True)
            done = run(site, "--out", str(out))
            for name, data in files(out).items():
                # What is on its way has a name of its own.
                assert name.split("/")[-1].startswith(".") or data in (wanted.get(name), None) or name in left_out(done), name
            outcomes[size] = done.returncode
            subprocess.run([*mount, "remount,size=64m", disk], check=True)
            done = run(site, "--out", str(out))
            assert done.returncode == 0, done.stderr
            is_as_it_should_be(site, out, wanted)
    finally:
        subprocess.run(["umount", disk])
    return outcomes


def left_out(done):
    """Names that a piece had before another format outdid it."""
    try:
        report = json.loads(done.stdout)
    except json.JSONDecodeError:
        return done.stdout or ANYTHING
    return [piece["name"] for one in report["originals"] for piece in one["pieces"]]


class Anything:
    def __contains__(self, _):
        return True


ANYTHING = Anything()


def permission(site, wanted):
    """An out folder that may not be written: new, and with pieces."""
    said = []
    disk = site / "read-only"
    disk.mkdir()
    if subprocess.run(["mount", "-t", "tmpfs", "tmpfs", disk], capture_output=True).returncode:
        return "nothing can be mounted here"
    try:
        out = disk / "out"
        for filled in (False, True):
            if filled:
                run(site, "--out", str(out))
                (site / "in").touch()
            subprocess.run(["mount", "-o", "remount,ro", disk], check=True)
            done = run(site, "--out", str(out))
            assert done.returncode == (0 if filled and not done.stderr else 1), done.stderr
            said.append(done.stderr.strip())
            subprocess.run(["mount", "-o", "remount,rw", disk], check=True)
        run(site, "--out", str(out))
        is_as_it_should_be(site, out, wanted)
    finally:
        subprocess.run(["umount", disk])
    return said


def descriptors(site, wanted):
    """64 file descriptors."""
    few = lambda: resource.setrlimit(resource.RLIMIT_NOFILE, (64, 64))
    done = run(site, "--out", "few", before=few)
    assert done.returncode == 0, done.stderr
    is_as_it_should_be(site, site / "few", wanted)
    for command in (["survey", "in", "--json"], ["check", "few"], ["deliver", "./sent", "--out", "few", "--quiet"]):
        done = subprocess.run([KILN, *command], cwd=site, capture_output=True, text=True, preexec_fn=few)
        assert "panicked" not in done.stderr and "Too many" not in done.stderr, done.stderr
    return "as ever"


def memory(site, _):
    """512 MB of memory, with pictures of 100 megapixels in each format that is read."""
    limit = lambda: resource.setrlimit(resource.RLIMIT_AS, (512 << 20, 512 << 20))
    big = site / "big"
    big.mkdir()
    make = [sys.executable, "-c", BIG, str(big)]
    if subprocess.run(make, capture_output=True).returncode:
        return "large pictures need a Python with Pillow"
    found = {}
    for picture in sorted(big.iterdir()):
        done = run(site, str(picture), "--no-kiln", "--width", "800", "--density", "1", "--jobs", "2", "--out", f"big-{picture.suffix[1:]}", before=limit)
        found[picture.name] = done.stderr.strip().split(": ", 2)[-1] if done.returncode else "made"
    return found


BIG = """
import sys, pathlib
from PIL import Image, ImageDraw
Image.MAX_IMAGE_PIXELS = None
to = pathlib.Path(sys.argv[1])
image = Image.linear_gradient("L").resize((11600, 8700)).convert("RGB")
draw = ImageDraw.Draw(image)
for i in range(400):
    draw.ellipse((i * 29, i * 21, i * 29 + 300, i * 21 + 200), fill=(i % 256, 90, 255 - i % 256))
image.save(to / "baseline.jpg", quality=88)
image.save(to / "progressive.jpeg", quality=88, progressive=True)
image.save(to / "picture.png", compress_level=1)
image.save(to / "picture.tif", compression="tiff_lzw")
image.save(to / "picture.webp", quality=70, method=0)
image.quantize(64).save(to / "picture.gif")
"""


def company(site, wanted):
    """Four runs at once into one out folder: one works, the others say so; each is begun again until it went well."""
    begin = lambda: subprocess.Popen([KILN, "fire", "--quiet", "--out", "shared"], cwd=site, stderr=subprocess.PIPE, text=True)
    busy, open_ones = 0, [begin() for _ in range(4)]
    while open_ones:
        one = open_ones.pop(0)
        _, said = one.communicate()
        if one.returncode:
            assert one.returncode == 1 and "another" in said, said
            busy += 1
            time.sleep(0.2)
            open_ones.append(begin())
    is_as_it_should_be(site, site / "shared", wanted)
    parts = [subprocess.Popen([KILN, "fire", "--quiet", "--out", "parts", "--part", part], cwd=site, stderr=subprocess.PIPE, text=True)
             for part in ("1/3", "1/3", "2/3", "3/3")]
    codes = sorted(one.wait() for one in parts)
    run(site, "--out", "parts", "--gather")
    is_as_it_should_be(site, site / "parts", wanted)
    return {"told to wait": busy, "parts": codes}


def clocks(site, wanted):
    """Clocks that jump: back by decades, on by decades, and on and on while it runs."""
    if not pathlib.Path(FAKE).exists():
        return "there is no libfaketime"
    for moment in ("1971-01-01 00:00:00", "2105-03-01 00:00:00", "+0 x5000", "-10y i2.0"):
        env = {"LD_PRELOAD": FAKE, "FAKETIME": moment, "FAKETIME_DONT_FAKE_MONOTONIC": "1"}
        done = run(site, "--out", "clocks", env=env)
        assert done.returncode == 0, (moment, done.stderr)
        is_as_it_should_be(site, site / "clocks", wanted)
        # An original from the future, and one from before all.
        for index, picture in enumerate(sorted((site / "in").iterdir())):
            os.utime(picture, (4e9, 4e9) if index % 2 else (1, 1))
        again = run(site, "--out", "clocks", env=env)
        states = {piece["state"] for one in json.loads(again.stdout)["originals"] for piece in one["pieces"]}
        assert states <= {"unchanged", "left_out"}, states
    return "as ever"


CASES = {one.__name__: one for one in (room, permission, descriptors, memory, company, clocks)}


def main():
    global KILN
    KILN, pictures, *cases = sys.argv[1:]
    with tempfile.TemporaryDirectory() as folder:
        site = pathlib.Path(folder)
        shutil.copytree(pictures, site / "in")
        (site / "kiln.toml").write_text(SETTINGS)
        done = run(site)
        assert done.returncode == 0, done.stderr
        wanted = files(site / "out")
        for case in cases or CASES:
            print(f"{case}: {CASES[case](site, wanted)}", flush=True)


if __name__ == "__main__":
    main()
