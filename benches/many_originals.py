"""A tree of many originals, made up: photos of a few hundred bytes that are headers and nothing else, or real small ones.

    python benches/many_originals.py FOLDER COUNT [--real]

Every 1,000 lie in a folder of their own. Headers-only files can be planned for, not fired; with `--real` each is a
picture of 48 x 32 pixels that no other equals. Needs nothing but Python, `--real` needs Pillow.
"""

import argparse
import pathlib
import struct

SIZES = [(6000, 4000), (4000, 6000), (4032, 3024), (1920, 1080), (5472, 3648), (2048, 2048)]


def segment(marker, body):
    return bytes([0xFF, marker]) + struct.pack(">H", len(body) + 2) + body


def headers(number):
    """A progressive JPEG of three components up to its first scan."""
    width, height = SIZES[number % len(SIZES)]
    frame = struct.pack(">BHHB", 8, height - number % 7, width - number % 11, 3) + bytes([1, 0x22, 0, 2, 0x11, 1, 3, 0x11, 1])
    said = f"photo {number} of the archive of Tern Point Light".encode()
    tables = segment(0xDB, bytes([0]) + bytes(range(1, 65))) + segment(0xDB, bytes([1]) + bytes(range(2, 66)))
    jfif = segment(0xE0, b"JFIF\0\1\1\0\0\1\0\1\0\0")
    scan = segment(0xDA, bytes([3, 1, 0, 2, 0x11, 3, 0x11, 0, 0, 0]))
    return b"\xff\xd8" + jfif + segment(0xFE, said) + tables + segment(0xC2, frame) + scan + b"\0\xff\xd9"


def real(number):
    import io

    from PIL import Image, ImageDraw

    picture = Image.linear_gradient("L").resize((48, 32)).convert("RGB")
    draw = ImageDraw.Draw(picture)
    colour = (number % 256, number // 256 % 256, number // 65536 % 256)
    draw.ellipse((8 + number % 9, 4, 30, 26), fill=colour)
    file = io.BytesIO()
    picture.save(file, "JPEG", quality=90)
    # So that no two files are the same, whatever their pixels come to.
    return file.getvalue()[:2] + segment(0xFE, b"%d" % number) + file.getvalue()[2:]


def main():
    ask = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    ask.add_argument("folder", type=pathlib.Path)
    ask.add_argument("count", type=int)
    ask.add_argument("--real", action="store_true")
    asked = ask.parse_args()
    make = real if asked.real else headers
    for number in range(asked.count):
        folder = asked.folder / f"shelf-{number // 1000:04}"
        if number % 1000 == 0:
            folder.mkdir(parents=True, exist_ok=True)
        (folder / f"photo-{number:07}.jpg").write_bytes(make(number))


if __name__ == "__main__":
    main()
