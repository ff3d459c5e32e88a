"""What a look costs: beside a fixed dial, and beside a general-purpose imaging library at one.

    python benches/looks_beside_dials.py KILN PHOTOS [--graphics DIR] [--formats jpeg,webp,avif] [--runs 3]

Needs Pillow. For each format, medians of the runs, all made in turns: processor time of a firing at the look
`fine` over that at a fixed dial; wall time of both over the library's (two processes, thumbnail with draft);
encodes a piece, and by how much pieces are better than their look. Then the survey over the library's decoding of
the same files on two processes, with its memory.
"""

import argparse
import json
import pathlib
import resource
import statistics
import subprocess
import sys
import tempfile
import time

SIZED = """
import sys, os
from multiprocessing import Pool
from PIL import Image
Image.MAX_IMAGE_PIXELS = None
source, out, width = sys.argv[1], sys.argv[2], int(sys.argv[3])
def one(name):
    picture = Image.open(os.path.join(source, name))
    picture.thumbnail((width, width * 10), Image.LANCZOS, reducing_gap=2.0)
    picture.convert("RGB").save(os.path.join(out, name + ".x"), {how})
if __name__ == "__main__":
    with Pool(2) as pool:
        pool.map(one, sorted(os.listdir(source)), chunksize=1)
"""
DECODED = """
import sys, os
from multiprocessing import Pool
from PIL import Image
Image.MAX_IMAGE_PIXELS = None
def one(path):
    Image.open(path).convert("RGBA").getpixel((0, 0))
if __name__ == "__main__":
    paths = [os.path.join(folder, name) for folder in sys.argv[1:] for name in sorted(os.listdir(folder))]
    with Pool(2) as pool:
        pool.map(one, paths, chunksize=1)
"""
# How the library saves, and a dial of ours that comes to about the same.
DIALS = {
    "jpeg": ('"JPEG", quality=80, optimize=True, progressive=True', 75),
    "webp": ('"WEBP", quality=80, method=4', 75),
    "avif": ('"AVIF", quality=60, speed=6', 60),
}


def timed(*command):
    """Seconds that went by, seconds of processors, and what was printed."""
    before, start = resource.getrusage(resource.RUSAGE_CHILDREN), time.perf_counter()
    done = subprocess.run([str(part) for part in command], capture_output=True, text=True)
    wall = time.perf_counter() - start
    after = resource.getrusage(resource.RUSAGE_CHILDREN)
    assert done.returncode in (0, 1), done.stderr[-400:]
    return wall, after.ru_utime + after.ru_stime - before.ru_utime - before.ru_stime, done.stdout


def fired(told, look):
    """Encodes a piece, and the mean excess over the look."""
    pieces = [piece for original in json.loads(told)["originals"] for piece in original["pieces"]]
    encodes = statistics.mean(len(piece["encodes"]) for piece in pieces)
    return encodes, statistics.mean(piece["score"] - look for piece in pieces)


def main():
    ask = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    ask.add_argument("kiln")
    ask.add_argument("photos")
    ask.add_argument("--graphics")
    ask.add_argument("--width", type=int, default=1200)
    ask.add_argument("--formats", default="jpeg,webp")
    ask.add_argument("--runs", type=int, default=3)
    asked = ask.parse_args()
    with tempfile.TemporaryDirectory() as folder:
        folder = pathlib.Path(folder)
        for format in asked.formats.split(","):
            how, dial = DIALS[format]
            script = folder / f"{format}.py"
            script.write_text(SIZED.replace("{how}", how))
            rows = []
            for run in range(asked.runs):
                out = folder / f"{format}-{run}"
                out.mkdir()
                fire = (asked.kiln, "fire", asked.photos, "--no-kiln", "--width", asked.width, "--format", format, "--json")
                fixed = timed(*fire, "--quality", dial, "--out", folder / f"{format}-dial-{run}")
                look = timed(*fire, "--look", "fine", "--out", folder / f"{format}-look-{run}")
                other = timed(sys.executable, script, asked.photos, out, asked.width)
                rows.append((look[1] / fixed[1], fixed[0] / other[0], look[0] / other[0], *fired(look[2], 75)))
            search, dialled, looked, encodes, excess = (statistics.median(row) for row in zip(*rows))
            print(f"{format}: look over dial {search:.2f}; over the library: dial {dialled:.2f}, look {looked:.2f}; "
                  f"{encodes:.2f} encodes a piece, {excess:.2f} above the look", flush=True)
        folders = [one for one in (asked.photos, asked.graphics) if one]
        script = folder / "decoded.py"
        script.write_text(DECODED)
        pairs = []
        for _ in range(asked.runs):
            pairs.append((timed(asked.kiln, "survey", *folders)[0], timed(sys.executable, script, *folders)[0]))
        ours, ratio = statistics.median(a for a, _ in pairs), statistics.median(a / b for a, b in pairs)
        # In a process of its own: what this one started before counts for it.
        peak = "import resource, subprocess, sys; subprocess.run(sys.argv[1:], stdout=subprocess.DEVNULL); print(resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss // 1024)"
        megabytes = timed(sys.executable, "-c", peak, asked.kiln, "survey", *folders)[2].strip()
        print(f"survey: {ours:.1f} s, {ratio:.2f} of the library's decoding, {megabytes} MB")


if __name__ == "__main__":
    main()
