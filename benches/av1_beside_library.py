"""What the AV1 encoder weighs and takes beside a general-purpose imaging library, at equal scores.

    cargo build --release -p kiln-av1 --example code
    python benches/av1_beside_library.py target/release/examples/code JUDGE PHOTOS [--width 600] [--count 5]
        [--pace steady] [--quantisers 50,90,130,180]

JUDGE scores PNG files against a reference, a line each (the measuring kit has one). For each photo and the looks 60, 75
and 85: bytes over the library's (its default encoder, speed 6) at the same score, between the quantisers tried; then
geometric means, and the time of one encode over the library's, one after the other. Needs Pillow.
"""

import argparse
import io
import math
import pathlib
import subprocess
import tempfile
import time

from PIL import Image

QUALITIES = (30, 45, 60, 72, 82, 90)
LOOKS = (60, 75, 85)
# What a container adds to the encoder's own units.
CONTAINER = 300


def at(points, look):
    """The weight at a score, between the two nearest that are known."""
    points = sorted(points, key=lambda point: point[1])
    for a, b in zip(points, points[1:]):
        if a[1] <= look <= b[1]:
            part = (look - a[1]) / (b[1] - a[1]) if b[1] > a[1] else 0
            return math.exp(math.log(a[0]) * (1 - part) + math.log(b[0]) * part)
    return None


def main():
    ask = argparse.ArgumentParser()
    ask.add_argument("code")
    ask.add_argument("judge")
    ask.add_argument("photos")
    ask.add_argument("--width", type=int, default=600)
    ask.add_argument("--count", type=int, default=5)
    ask.add_argument("--pace", default="steady")
    ask.add_argument("--quantisers", default="50,90,130,180")
    asked = ask.parse_args()
    photos = sorted(pathlib.Path(asked.photos).iterdir())
    photos = photos[:: max(1, len(photos) // asked.count)][: asked.count]
    ratios, seconds = {look: [] for look in LOOKS}, [0.0, 0.0]
    with tempfile.TemporaryDirectory() as folder:
        folder = pathlib.Path(folder)

        def score(reference, shown):
            file = folder / "shown.png"
            shown.save(file, compress_level=1)
            said = subprocess.run([asked.judge, reference, file], capture_output=True, text=True, check=True).stdout
            return next(float(word) for word in said.split() if word.replace(".", "").replace("-", "").isdigit())

        for photo in photos:
            picture = Image.open(photo).convert("RGB")
            picture.thumbnail((asked.width, asked.width * 10), Image.LANCZOS)
            reference, plain, shown = folder / "reference.png", folder / "reference.ppm", folder / "shown.ppm"
            picture.save(reference, compress_level=1)
            picture.save(plain)
            theirs, ours = [], []
            for quality in QUALITIES:
                file, start = io.BytesIO(), time.perf_counter()
                picture.save(file, "AVIF", quality=quality, speed=6)
                seconds[1] += (time.perf_counter() - start) / len(QUALITIES)
                back = Image.open(io.BytesIO(file.getvalue())).convert("RGB")
                theirs.append((len(file.getvalue()), score(reference, back)))
            quantisers = asked.quantisers.split(",")
            for quantiser in quantisers:
                command = [asked.code, plain, shown, quantiser, asked.pace]
                said = subprocess.run(command, capture_output=True, text=True, check=True).stdout.split()
                seconds[0] += float(said[1]) / len(quantisers)
                ours.append((int(said[0]) + CONTAINER, score(reference, Image.open(shown))))
            row = []
            for look in LOOKS:
                both = at(ours, look), at(theirs, look)
                row.append(both[0] / both[1] if all(both) else None)
                if row[-1]:
                    ratios[look].append(row[-1])
            print(photo.name, *(f"{ratio:.3f}" if ratio else "-" for ratio in row), flush=True)
    means = {look: math.exp(sum(map(math.log, own)) / len(own)) for look, own in ratios.items() if own}
    print("mean", *(f"{look}: {mean:.3f}" for look, mean in means.items()))
    print(f"time {seconds[0] / seconds[1]:.2f}")


main()
