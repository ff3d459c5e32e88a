"""How long a million pictures take on 1 to 1,000 machines, simulated: parts as the program shares them out, machines that
straggle and fail.

    python benches/many_machines.py KILN PHOTOS [--originals 1000000] [--format avif]

First PHOTOS are fired one at a time, which tells what a picture costs beyond what its headers foretell. Then originals of
as many sizes are made up, shared out as docs/many-machines.md says, and each part takes what its pictures really
cost, on machines of which one in 50 is half as fast; one part in 100 is lost in the middle and goes on elsewhere. Each
machine is given one part, and ten, of which it takes the next when it has ended one. Told are the makespan, the ideal (all work divided by all machines), and how far the largest part is above the
mean, by what is foretold and by what it costs.
"""

import argparse
import heapq
import json
import math
import pathlib
import random
import statistics
import subprocess
import tempfile
import time

READ, FORMATS = 30, {"jpeg": 500, "webp": 900, "avif": 3000, "png": 7000}
SIZES = [(6000, 4000), (4032, 3024), (1920, 1080), (5472, 3648), (2048, 1365), (8192, 5464), (3000, 2000)]
WIDTH = 1200
HEAVY = 16


def foretold(width, height, format):
    """Nanoseconds, as the program foretells them."""
    piece = min(WIDTH, width)
    return width * height * READ + piece * round(height * piece / width) * FORMATS[format]


def measured(kiln, photos, format):
    """By how much pictures cost more or less than was foretold, as factors around one."""
    factors = []
    for photo in sorted(pathlib.Path(photos).iterdir()):
        with tempfile.TemporaryDirectory() as out:
            start = time.perf_counter()
            done = subprocess.run([kiln, "fire", photo, "--no-kiln", "--width", str(WIDTH), "--format", format, "--jobs", "1",
                                   "--out", out, "--json"], capture_output=True, text=True)
            seconds = time.perf_counter() - start
            for original in json.loads(done.stdout)["originals"]:
                factors.append(seconds * 1e9 / foretold(original["width"], original["height"], format))
    mean = statistics.mean(factors)
    return [factor / mean for factor in factors], mean


def shared_out(costs, parts):
    """As the program does it: the heavy first, the light up to one level, in an order of their own."""
    total, of = sum(costs), [0] * len(costs)
    heavy = [i for i, cost in enumerate(costs) if cost * HEAVY * parts > total]
    loads = [0] * parts
    for index in sorted(heavy, key=lambda i: -costs[i]):
        part = min(range(parts), key=loads.__getitem__)
        of[index], loads[part] = part, loads[part] + costs[index]
    chosen = set(heavy)
    light = [i for i in range(len(costs)) if i not in chosen]
    # Names are as good as random.
    random.Random(1).shuffle(light)
    level, below, rest = None, 0, sum(costs[i] for i in light)
    for count, load in enumerate(sorted(loads)):
        if load * count >= below + rest:
            level = (below + rest) / count
            break
        below += load
    level = level if level is not None else total / parts
    part, filled, end = 0, 0, max(0, level - loads[0])
    for index in light:
        while filled + costs[index] / 2 >= end and part + 1 < parts:
            part += 1
            end += max(0, level - loads[part])
        of[index] = part
        filled += costs[index]
    return of


def makespan(work, machines, chance):
    """When the last part ends, where every machine takes the next as soon as it has ended one."""
    free = [(0, 2 if chance.random() < 0.02 else 1) for _ in range(machines)]
    heapq.heapify(free)
    end = 0
    for seconds in work:
        at, slow = heapq.heappop(free)
        at += seconds * slow
        if chance.random() < 0.01:
            # Lost in the middle: what was noted counts, and the rest goes on after two minutes.
            at += 120
        end = max(end, at)
        heapq.heappush(free, (at, slow))
    return end


def main():
    ask = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    ask.add_argument("kiln")
    ask.add_argument("photos")
    ask.add_argument("--originals", type=int, default=1_000_000)
    ask.add_argument("--format", default="avif", choices=sorted(FORMATS))
    asked = ask.parse_args()
    factors, scale = measured(asked.kiln, asked.photos, asked.format)
    spread = statistics.pstdev(factors)
    print(f"{len(factors)} photos: {scale:.2f} of what is foretold, with a deviation of {spread:.2f} of that")
    chance = random.Random(7)
    sizes = chance.choices(SIZES, k=asked.originals)
    costs = [foretold(width, height, asked.format) for width, height in sizes]
    real = [cost * scale * chance.choice(factors) / 1e9 for cost in costs]
    whole = sum(real)
    print(f"{asked.originals} originals: {whole / 3600:.0f} hours of one core")
    print("machines  ideal      makespan   of ideal  with ten parts each  largest part foretold  and real")
    for machines in (1, 2, 5, 10, 20, 50, 100, 200, 500, 1000):
        ideal, ends = whole / machines, []
        for parts in (machines, 10 * machines):
            of = shared_out(costs, parts)
            told, work = [0] * parts, [0] * parts
            for part, cost, seconds in zip(of, costs, real):
                told[part] += cost
                work[part] += seconds
            if parts == machines:
                above = max(told) / (sum(told) / parts), max(work) / ideal
            ends.append(statistics.median(makespan(work, machines, chance) for _ in range(21)))
        print(f"{machines:8}  {clock(ideal):9}  {clock(ends[0]):9}  {ends[0] / ideal:8.2f}  {ends[1] / ideal:19.2f}"
              f"  {above[0]:21.3f}  {above[1]:8.3f}", flush=True)


def clock(seconds):
    return f"{math.floor(seconds / 3600)}:{math.floor(seconds / 60) % 60:02}:{math.floor(seconds) % 60:02}"


if __name__ == "__main__":
    main()
