"""Pictures with profiles of every kind, and how far our sRGB is from that of another colour engine.

Standard input is the word "make", which writes the pictures into the folder "tagged", or a list of
pairs of an original and a piece, for each of which the mean and the worst colour difference
(CIEDE2000) is printed, the worst where neither engine is at the edge of sRGB.
"""

import io
import json
import math
import pathlib
import struct
import sys

from PIL import Image, ImageCms

SIDE = 48


def fixed(value):
    return struct.pack(">i", round(value * 65536))


def profile(space, kind, tags, pcs=b"XYZ "):
    """An ICC profile of version 2 (ICC.1:2001-04)."""
    tags = dict(tags, wtpt=b"XYZ \0\0\0\0" + fixed(0.9642) + fixed(1) + fixed(0.8249))
    tags["cprt"] = b"text\0\0\0\0made for a test\0"
    tags["desc"] = b"desc\0\0\0\0" + struct.pack(">I", 5) + b"made\0" + bytes(78)
    table, data = b"", b""
    start = 128 + 4 + 12 * len(tags)
    for name, body in tags.items():
        table += name.encode() + struct.pack(">II", start + len(data), len(body))
        data += body + bytes(-len(body) % 4)
    head = struct.pack(">I4sI4s4s4s", start + len(data), b"", 0x02400000, kind, space, pcs)
    head += bytes(12) + b"acsp" + bytes(28) + fixed(0.9642) + fixed(1) + fixed(0.8249)
    return head + bytes(128 - len(head)) + struct.pack(">I", len(tags)) + table + data


def gamma(value):
    return b"curv\0\0\0\0" + struct.pack(">IH", 1, round(value * 256)) + b"\0\0"


def matrix(red, green, blue, exponent):
    xyz = lambda colour: b"XYZ \0\0\0\0" + b"".join(map(fixed, colour))
    tags = {"rXYZ": xyz(red), "gXYZ": xyz(green), "bXYZ": xyz(blue)}
    tags.update({name: gamma(exponent) for name in ("rTRC", "gTRC", "bTRC")})
    return profile(b"RGB ", b"mntr", tags)


def table(inputs, outputs, grid, colour):
    """A lut16Type with plain curves around a grid."""
    body = b"mft2\0\0\0\0" + bytes([inputs, outputs, grid, 0])
    for row in range(3):
        body += b"".join(fixed(row == column) for column in range(3))
    body += struct.pack(">HH", 2, 2) + struct.pack(">HH", 0, 65535) * inputs
    for index in range(grid**inputs):
        at = [index // grid ** (inputs - 1 - i) % grid / (grid - 1) for i in range(inputs)]
        body += b"".join(struct.pack(">H", round(min(max(v, 0), 1) * 65535)) for v in colour(*at))
    return body + struct.pack(">HH", 0, 65535) * outputs


def lab16(x, y, z):
    """CIELAB of a colour relative to D50, as lut16Type has it."""
    root = lambda t: t ** (1 / 3) if t > 216 / 24389 else (24389 / 27 * t + 16) / 116
    x, y, z = map(root, (x, y, z))
    light, a, b = 116 * y - 16, 500 * (x - y), 200 * (y - z)
    return light / 100 * 65280 / 65535, (a + 128) / 255 * 65280 / 65535, (b + 128) / 255 * 65280 / 65535


INKS = ((0.10, 0.26, 0.68), (0.38, 0.16, 0.25), (0.76, 0.82, 0.09), (0.022, 0.023, 0.024))


def printed(*inks):
    """What four inks leave of each third of the light."""
    left = [1.0, 1.0, 1.0]
    for ink, colours in zip(inks, INKS):
        left = [rest * (1 - ink * (1 - colour)) for rest, colour in zip(left, colours)]
    return lab16(*left)


def separated(light, a, b):
    """Inks for a colour: rough, but black is black."""
    light = light * 65535 / 65280
    black = max(0.0, 1 - light * 1.6)
    rest = [1 - light * 0.9 - (a - 0.5) * w - (b - 0.5) * v for w, v in ((2, 1), (-2, 0), (0, -2))]
    return [max(0.0, min(0.75, ink)) for ink in rest] + [black]


def scanned(*rgb):
    """A device whose darkest is no black."""
    r, g, b = (0.012 + 0.9 * v**2.1 for v in rgb)
    return lab16(0.45 * r + 0.36 * g + 0.19 * b, 0.24 * r + 0.67 * g + 0.09 * b, 0.02 * r + 0.1 * g + 0.88 * b)


def make():
    folder = pathlib.Path("tagged")
    folder.mkdir()
    colours = [
        (x * 255 // (SIDE - 1), y * 255 // (SIDE - 1), (x * 5 + y * 7) % SIDE * 255 // (SIDE - 1))
        for y in range(SIDE)
        for x in range(SIDE)
    ]
    rgb = Image.new("RGB", (SIDE, SIDE))
    rgb.putdata(colours)
    wide = ((0.6097, 0.3111, 0.0195), (0.2053, 0.6257, 0.0609), (0.1492, 0.0632, 0.7446))
    huge = ((0.7977, 0.2880, 0.0000), (0.1352, 0.7119, 0.0000), (0.0313, 0.0001, 0.8249))
    inks = profile(
        b"CMYK",
        b"prtr",
        {"A2B0": table(4, 3, 9, printed), "A2B1": table(4, 3, 9, printed), "B2A0": table(3, 4, 17, separated)},
        b"Lab ",
    )
    scanner = profile(b"RGB ", b"scnr", {name: table(3, 3, 17, scanned) for name in ("A2B0", "A2B1")}, b"Lab ")
    rgb.save(folder / "wide.png", icc_profile=matrix(*wide, 2.19921875))
    rgb.save(folder / "huge.tif", icc_profile=matrix(*huge, 1.8), compression="tiff_lzw")
    rgb.save(folder / "scanner.webp", lossless=True, icc_profile=scanner)
    grey = profile(b"GRAY", b"mntr", {"kTRC": gamma(1.75)})
    rgb.convert("L").save(folder / "grey.png", icc_profile=grey)
    four = Image.new("CMYK", (SIDE, SIDE))
    four.putdata([(*colour, (x * 11) % 256) for x, colour in enumerate(colours)])
    four.save(folder / "inks.tif", icc_profile=inks)
    four.resize((SIDE * 4, SIDE * 4)).save(folder / "inks-coded.jpg", icc_profile=inks, quality=98)


def lab(rgb):
    light = [v / 255 / 12.92 if v <= 10 else ((v / 255 + 0.055) / 1.055) ** 2.4 for v in rgb]
    rows = ((0.4124, 0.3576, 0.1805), (0.2126, 0.7152, 0.0722), (0.0193, 0.1192, 0.9505))
    xyz = [sum(m * v for m, v in zip(row, light)) / sum(row) for row in rows]
    root = lambda t: t ** (1 / 3) if t > 216 / 24389 else (24389 / 27 * t + 16) / 116
    x, y, z = map(root, xyz)
    return 116 * y - 16, 500 * (x - y), 200 * (y - z)


def difference(one, other):
    """CIEDE2000 (ISO/CIE 11664-6)."""
    (l1, a1, b1), (l2, a2, b2) = lab(one), lab(other)
    chroma = (math.hypot(a1, b1) + math.hypot(a2, b2)) / 2
    g = (1 - math.sqrt(chroma**7 / (chroma**7 + 25**7))) / 2
    a1, a2 = a1 * (1 + g), a2 * (1 + g)
    c1, c2 = math.hypot(a1, b1), math.hypot(a2, b2)
    h1, h2 = (math.degrees(math.atan2(b, a)) % 360 for a, b in ((a1, b1), (a2, b2)))
    turn = 0 if c1 * c2 == 0 else (h2 - h1 + 180) % 360 - 180
    dl, dc = l2 - l1, c2 - c1
    dh = 2 * math.sqrt(c1 * c2) * math.sin(math.radians(turn / 2))
    l, c = (l1 + l2) / 2, (c1 + c2) / 2
    h = h1 + h2 if c1 * c2 == 0 else (h1 + turn / 2) % 360
    cos = lambda degrees: math.cos(math.radians(degrees))
    t = 1 - 0.17 * cos(h - 30) + 0.24 * cos(2 * h) + 0.32 * cos(3 * h + 6) - 0.2 * cos(4 * h - 63)
    sl = 1 + 0.015 * (l - 50) ** 2 / math.sqrt(20 + (l - 50) ** 2)
    sc, sh = 1 + 0.045 * c, 1 + 0.015 * c * t
    spin = 60 * math.exp(-(((h - 275) / 25) ** 2))
    r = -2 * math.sqrt(c**7 / (c**7 + 25**7)) * math.sin(math.radians(spin))
    square = (dl / sl) ** 2 + (dc / sc) ** 2 + (dh / sh) ** 2 + r * dc / sc * dh / sh
    return math.sqrt(max(square, 0))


def compare(pairs):
    found = {}
    for original, piece in pairs:
        tagged = Image.open(original)
        source = ImageCms.ImageCmsProfile(io.BytesIO(tagged.info["icc_profile"]))
        srgb = ImageCms.createProfile("sRGB")
        flags = ImageCms.Flags.BLACKPOINTCOMPENSATION | ImageCms.Flags.HIGHRESPRECALC
        intent = ImageCms.Intent.RELATIVE_COLORIMETRIC
        theirs = ImageCms.profileToProfile(tagged, source, srgb, intent, outputMode="RGB", flags=flags)
        ours = Image.open(piece)
        if "icc_profile" in ours.info:
            own = ImageCms.ImageCmsProfile(io.BytesIO(ours.info["icc_profile"]))
            ours = ImageCms.profileToProfile(ours, own, srgb, intent, outputMode="RGB")
        ours = ours.convert("RGB")
        inside, all_ = [], []
        for one, other in zip(theirs.get_flattened_data(), ours.get_flattened_data()):
            apart = difference(one, other)
            all_.append(apart)
            if all(3 <= v <= 252 for v in (*one, *other)):
                inside.append(apart)
        found[piece] = [sum(all_) / len(all_), max(inside)]
    return found


task = json.load(sys.stdin)
print(json.dumps(make() if task == "make" else compare(task)))
