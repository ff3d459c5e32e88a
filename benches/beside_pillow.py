"""Sizing beside a general-purpose imaging library, one core each, in turn.

    python benches/beside_pillow.py        (needs Pillow and numpy)

Prints the medians and their ratio: 24 megapixels RGB to 1200 pixels wide, the library's windowed
sinc in gamma light against ours in linear light.
"""

import re
import statistics
import subprocess
import time

import numpy
from PIL import Image

RUNS = 5


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


rounds = [(library(), ours()) for _ in range(RUNS)]
theirs = statistics.median(library for library, _ in rounds)
one, widest, three = (statistics.median(times[i] for _, times in rounds) for i in range(3))
print(f"24 megapixels to 1200: {one:.3f} s, library {theirs:.3f} s, ratio {one / theirs:.2f}")
print(f"three widths against the widest alone: ratio {three / widest:.2f}")
