"""The standard's tables as Rust source, from the sources of the decoder crate that the tests use.

    python crates/av1/tables.py SOURCES

SOURCES is the folder `src` of `re_rav1d`. Writes the files of `src/tables` beside this script.
Numbers are facts of the AV1 Bitstream & Decoding Process Specification; their layout here is our own.
"""

import pathlib
import re
import sys
import textwrap

HERE = pathlib.Path(__file__).parent / "src" / "tables"


def block(text, start):
    """The text within the brackets that open at or after an index."""
    depth, begun = 0, None
    for index in range(start, len(text)):
        if text[index] in "([{":
            depth += 1
            begun = index if begun is None else begun
        elif text[index] in ")]}":
            depth -= 1
            if depth == 0:
                return text[begun : index + 1]
    raise ValueError("no end")


def numbers(text):
    """Nested lists of numbers, whatever calls stand around them."""
    text = re.sub(r"//[^\n]*", "", text)
    text = re.sub(r"Align\d+|cdf\dd|Scan::new_array", "", text)
    # Round brackets only group here.
    text = text.replace("(", "").replace(")", "")
    return eval(re.sub(r"\s+", "", text))


def field(text, name, start=0):
    found = re.compile(r"\b" + name + r":\s*Align\d+").search(text, start)
    return numbers(block(text, found.end()))


def whole(values):
    """A cumulative distribution as the specification prints it, without the count at its end."""
    if isinstance(values[0], int):
        return values + [32768]
    return [whole(one) for one in values]


def shape(values):
    sides = []
    while isinstance(values, list):
        sides.append(len(values))
        values = values[0]
    return sides


def type_of(values, kind="u16"):
    for side in reversed(shape(values)):
        kind = f"[{kind}; {side}]"
    return kind


def table(name, section, doc, values, kind="u16"):
    lines = textwrap.wrap(str(values).replace(", ", ",").replace(",", ", "), 116, break_long_words=False)
    body = "\n    ".join(lines)
    return f"/// {doc} ({section}).\n#[rustfmt::skip]\npub const {name}: {type_of(values, kind)} =\n    {body};\n\n"


def main():
    source = pathlib.Path(sys.argv[1])
    text = (source / "cdf.rs").read_text()
    modes = block(text, text.index("{", text.index("static av1_default_cdf:")))
    out = "//! Default cumulative distributions, as the specification prints them (section 9.3, \"Default CDF tables\").\n"
    out += "//! Written by `tables.py`.\n\n"

    def add(name, doc, values):
        nonlocal out
        out += table(name, "9.3", doc, whole(values))

    keys = numbers(block(text, text.index("cdf2d", text.index("static default_kf_y_mode_cdf"))))
    add("KEY_Y_MODE", "Luma modes, by those above and to the left", keys)
    without, with_cfl = field(modes, "uv_mode")
    add("UV_MODE", "Chroma modes by that of luma, where none is told from luma", without)
    add("UV_MODE_CFL", "Chroma modes by that of luma, where they may be told from luma", with_cfl)
    levels = field(modes, "partition")
    add("PARTITION", "Ways to cut blocks of 64, 32 and 16", levels[1:4])
    add("PARTITION_8", "Ways to cut a block of 8", levels[4])
    for name, key, doc in [
        ("CFL_ALPHA", "cfl_alpha", "How much of luma goes into chroma"),
        ("CFL_SIGN", "cfl_sign", "With which signs luma goes into chroma"),
        ("TX_TYPE_SEVEN", "txtp_intra1", "Transform types of seven, by size and mode"),
        ("TX_TYPE_FIVE", "txtp_intra2", "Transform types of five, by size and mode"),
        ("ANGLE_DELTA", "angle_delta", "Finer angles, by mode"),
        ("FILTER_INTRA_MODE", "filter_intra", "Modes of recursive filters"),
        ("TX_DEPTH", "txsz", "How often a transform is cut, by the largest size and context"),
        ("USE_FILTER_INTRA", "use_filter_intra", "Whether a recursive filter predicts, by block size"),
        ("SKIP", "skip", "Whether a block has no coefficients"),
        ("DELTA_Q", "delta_q", "How far the quantiser of a superblock is off that of the one before"),
    ]:
        values = field(modes, key)
        if key == "txsz":
            add("TX_DEPTH_8", "Whether a transform of 8 is cut, by context", [one[:1] for one in values[0]])
            values = values[1:]
        add(name, doc, values)
    (HERE / "modes.rs").write_text(out.rstrip() + "\n")

    head = out[: out.index("\n\n") + 2]
    out = head.replace("distributions", "distributions of palettes")
    add("HAS_LUMA", "Whether luma has a palette, by the size of its block and how many neighbours have", field(modes, "pal_y"))
    add("HAS_CHROMA", "Whether chroma has a palette, by whether luma has", field(modes, "pal_uv"))
    add("COUNT", "How many colours a palette has, from two, for luma and chroma, by the size of its block", field(modes, "pal_sz"))
    maps = field(modes, "color_map")
    for count in range(2, 9):
        doc = f"Which of {count} colours a sample has, for luma and chroma, by its neighbours"
        add(f"OF_{count}", doc, [plane[count - 2] for plane in maps])
    (HERE / "palettes.rs").write_text(out.rstrip() + "\n")

    out = head.replace("distributions", "distributions of copied blocks")
    vector = block(text, text.index("{", text.index("static default_mv_component_cdf:")))
    joint = text.index("cdf0d(", text.index("static default_mv_joint_cdf:"))
    for name, doc, values in [
        ("COPIED", "Whether a block is copied", field(modes, "intrabc")),
        ("JOINT", "Whether it is off what is foreseen: not, across, down, both ways", numbers(block(text, joint))),
        ("SIGN", "Whether it is up or to the left of that", field(vector, "sign")),
        ("CLASS", "How far, as a class", field(vector, "classes")),
        ("NEAR", "How far in the nearest class", field(vector, "class_0")),
        ("FAR", "Each bit of how far in other classes", field(vector, "class_n")),
        ("TX_SPLIT", "Whether a transform is cut, by its size and context", field(modes, "txpart")),
        ("TX_TYPE_ALL", "Transform types of sixteen, by size", field(modes, "txtp_inter1")),
        ("TX_TYPE_TWELVE", "Transform types of twelve", field(modes, "txtp_inter2")),
        ("TX_TYPE_TWO", "Transform types of two, by size", field(modes, "txtp_inter3")),
    ]:
        add(name, doc, values)
    (HERE / "copies.rs").write_text(out.rstrip() + "\n")

    head = head.replace("distributions", "distributions of coefficients")
    out = head
    start = text.index("static av1_default_coef_cdf")
    coefs = block(text, text.index("=", start))
    parts = coefs.split("CdfCoefContext {")[1:]
    for name, key, doc in [
        ("EOB_16", "eob_bin_16", "The class of the last coefficient of 16, by quantiser, plane and shape"),
        ("EOB_32", "eob_bin_32", "The same of 32"),
        ("EOB_64", "eob_bin_64", "The same of 64"),
        ("EOB_128", "eob_bin_128", "The same of 128"),
        ("EOB_256", "eob_bin_256", "The same of 256"),
        ("EOB_512", "eob_bin_512", "The same of 512, by quantiser and plane"),
        ("EOB_1024", "eob_bin_1024", "The same of 1024, by quantiser and plane"),
        ("BASE_EOB", "eob_base_tok", "The last coefficient, by quantiser, size, plane and context"),
        ("EOB_EXTRA", "eob_hi_bit", "Whether the last coefficient is in the upper half of its class"),
        ("ALL_ZERO", "skip", "Whether a transform block has no coefficients, by quantiser, size and context"),
        ("DC_SIGN", "dc_sign", "The sign of the first coefficient, by quantiser, plane and context"),
        ("BASE", "base_tok", "Coefficients up to 3, by quantiser, size, plane and context"),
        ("RANGE", "br_tok", "What they have beyond, by quantiser, size, plane and context"),
    ]:
        values = [field(part, key) for part in parts]
        if key == "base_tok":
            (HERE / "coefs.rs").write_text(out.rstrip() + "\n")
            out = head
        add(name, doc, values)
    (HERE / "levels.rs").write_text(out.rstrip() + "\n")

    text = (source / "qm.rs").read_text()
    out = "//! Weights of coefficients (section 9.5.4, \"Quantizer matrix tables\"), of which all others are parts.\n//! Written by `tables.py`.\n\n"
    for name, key, doc in [
        ("WIDE", "qm_tbl_32x16", "Of 32 × 16, row by row, for each level, for luma and chroma"),
        ("SQUARE", "qm_tbl_32x32_t", "Of 32 × 32, which are alike across and down: the rows up to their places in the diagonal"),
    ]:
        found = text.index("= [", text.index(f"static {key}:"))
        out += table(name, "9.5.4", doc, numbers(block(text, found + 2)), "u8")
    (HERE / "weights.rs").write_text(out.rstrip() + "\n")

    steps = numbers(block((source / "dequant_tables.rs").read_text(), (source / "dequant_tables.rs").read_text().index("= [") + 2))
    out = "//! Steps of the quantiser (section 7.12.2, \"Dequantization functions\").\n//! Written by `tables.py`.\n\n"
    for depth, bits in enumerate([8, 10]):
        out += table(f"DC_{bits}", "7.12.2", f"Of the first coefficient, at {bits} bits", [one[0] for one in steps[depth]])
        out += table(f"AC_{bits}", "7.12.2", f"Of all others, at {bits} bits", [one[1] for one in steps[depth]])
    (HERE / "steps.rs").write_text(out.rstrip() + "\n")


main()
