"""Fits what the signs of blocks weigh in the AV1 encoder's foretelling, from what blocks came to.

    KILN_TEST_PHOTOS=FOLDER KILN_TEST_SIGNS=signs.txt cargo test --release -p kiln-av1 foretold_beside_found -- --ignored
    python benches/fit_foretold.py signs.txt

FOLDER has photographs as portable pixmaps, 600 pixels wide. Prints the table of `crates/av1/src/tile/foretold.rs`, and
beside each row the mean of what was off. Needs numpy.
"""

import sys

import numpy

# So much is about what a block costs by itself, in parts of a bit: those that cost next to nothing count little more.
LEAST = 2000

# Signs that tell nearly the same share what they weigh.
EASY = 1e-3


def main():
    rows = numpy.loadtxt(sys.argv[1])
    for side in range(2, 7):
        own = rows[rows[:, 0] == side]
        signs, cost = own[:, 1:-1], own[:, -1]
        weight = (cost + LEAST) ** -0.7
        both = signs * weight[:, None]
        square = both.T @ both
        square += EASY * numpy.diag(numpy.diag(square))
        found = numpy.linalg.solve(square, both.T @ (cost * weight))
        off = numpy.abs(signs @ found - cost).sum() / cost.sum()
        print(f"    [{', '.join(f'{one:.3}' for one in found)}], // {off:.3f}")


main()
