"""Sizing beside a general-purpose imaging library, one core each, in turn.

    python benches/beside_pillow.py        (needs Pillow and numpy; some 2 GB of memory for them)

Prints medians and their ratios: 24 megapixels RGB to 1200 pixels wide, the library's windowed sinc
in gamma light against ours in linear light; three widths of one picture against the widest alone;
and a PNG of 224 megapixels to 2560 pixels, for us encoding included, with the memory that it takes.
"""

import os
import pathlib
import re
import statistics
import subprocess
import sys
import tempfile
import time

import numpy
from PIL import Image

RUNS = 5
LARGE = (16_000, 14_000)
KILN = pathlib.Path("target/release/kiln").absolute()
Image.MAX_IMAGE_PIXELS = None
# One core for this program and all that it runs.
os.sched_setaffinity(0, {0})


def library():
    noise = numpy.random.default_rng(1).integers(0, 255, (4000, 6000, 3), dtype=numpy.uint8)
    picture = Image.fromarray(noise)
    start = time.perf_counter()
    picture.resize((1200, 800), Image.LANCZOS)
    return time.perf_counter() - start


def ours():
    bench = ["cargo", "bench", "-q", "-p", "kiln-core", "--bench", "sizing"]
    told = subprocess.run(bench, capture_output=True, text=True, check=True).stdout
    return [float(time) for time in re.findall(r": ([0-9.]+) s", told)]


def make_large(path):
    """Soft slopes with grain, as of a scan."""
    width, height = LARGE
    dice = numpy.random.default_rng(1)
    coarse = dice.integers(40, 216, (height // 250, width // 250, 3), dtype=numpy.uint8)
    samples = numpy.asarray(Image.fromarray(coarse).resize(LARGE, Image.BICUBIC)).copy()
    for top in range(0, height, 500):
        samples[top : top + 500] += dice.integers(0, 5, (500, width, 1), dtype=numpy.uint8)
    Image.fromarray(samples).save(path, compress_level=2)


READ_AND_RESIZE = f"""
from PIL import Image
Image.MAX_IMAGE_PIXELS = None
Image.open("large.png").convert("RGB").resize((2560, 2240), Image.LANCZOS)
"""


# In a process of its own: what this one holds would count for those that it starts.
MEASURE = """
import resource, subprocess, sys, time
start = time.perf_counter()
subprocess.run(sys.argv[1:], stdout=subprocess.DEVNULL, check=True)
print(time.perf_counter() - start, resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss * 1024)
"""


def measured(command, folder):
    """Seconds and peak bytes of a command."""
    command = [sys.executable, "-c", MEASURE, *map(str, command)]
    told = subprocess.run(command, cwd=folder, capture_output=True, text=True, check=True).stdout
    return [float(number) for number in told.split()]


rounds = [(library(), ours()) for _ in range(RUNS)]
theirs = statistics.median(library for library, _ in rounds)
one, widest, three = (statistics.median(times[i] for _, times in rounds) for i in range(3))
print(f"24 megapixels to 1200: {one:.3f} s, library {theirs:.3f} s, ratio {one / theirs:.2f}")
print(f"three widths against the widest alone: ratio {three / widest:.2f}")

subprocess.run(["cargo", "build", "-q", "--release"], check=True)
with tempfile.TemporaryDirectory() as folder:
    make_large(pathlib.Path(folder) / "large.png")
    times, peaks = ([], []), []
    for run in range(3):
        fire = f"fire large.png --no-kiln --width 2560 --format jpeg --out {run} --quiet --jobs 1"
        seconds, peak = measured([KILN, *fire.split()], folder)
        times[0].append(seconds)
        peaks.append(peak)
        times[1].append(measured([sys.executable, "-c", READ_AND_RESIZE], folder)[0])
    _, floor = measured([KILN, "--version"], folder)
    us, them = map(statistics.median, times)
    print(f"224 megapixels to 2560: {us:.2f} s, library {them:.2f} s, ratio {us / them:.2f}")
    print(f"peak memory above the floor: {(max(peaks) - floor) / 1e6:.0f} MB")
