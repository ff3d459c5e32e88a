"""Fits the curves that a search for a look begins with (crates/core/src/encode/*/curves.rs).

  cargo run --release -p kiln-core --example curves -- 400,900 jpeg,png,webp,avif steady PICTURES > curves.jsonl
  python3 benches/fit_curves.py curves.jsonl && cargo fmt

For each format, chroma and nature: the mean score of all pictures at some dials, the spread of
scores there (the first principal component: pictures differ mostly in how easy they are), the
mean logarithm of the weight, and the linear function of a picture's features that tells best how
easy it is. Needs numpy.
"""
import json, sys
from collections import defaultdict
import numpy as np

NATURES = [("Halved", "Photo"), ("Full", "Photo"), ("Full", "Graphic"),
           ("Counted", "Photo"), ("Counted", "Graphic"), ("Near", "Graphic")]
KNOTS = {"png": [1, 12, 23, 34, 45, 53, 61, 67, 73, 80, 87, 94, 100],
         "jpeg": [8, 14, 20, 29, 41, 53, 65, 74, 83, 89, 92, 95, 98],
         "webp": [1, 7, 16, 28, 40, 52, 64, 73, 79, 85, 91, 97, 100],
         "avif": [5, 12, 19, 26, 33, 40, 47, 54, 61, 68, 75, 82, 89, 96]}
# Where colours are counted, or kept but for their last bits, in formats that do more than that.
COUNTED = [1, 12, 23, 34, 45, 53, 61, 67, 73, 80]
NEAR = [1, 2, 3, 4]
# What a guess is wanted for: scores far below these matter little.
WANTED = (45, 93)


def tidy(number):
    return f"{number:.4g}" if "." in f"{number:.4g}" or "e" in f"{number:.4g}" else f"{number:.4g}.0"


def fit(rows, dials):
    """Knots and feature weights of one kind of coder."""
    scores = np.array([np.interp(dials, *zip(*[(d, s) for d, _, s in row["trials"]])) for row in rows])
    weights = np.array([np.interp(dials, *zip(*[(d, np.log(w)) for d, w, _ in row["trials"]])) for row in rows])
    weights -= weights.mean(axis=1, keepdims=True)
    mean = scores.mean(axis=0)
    # Easiness and spread in turns: the first component, where scores matter.
    matters = np.where((scores > WANTED[0]) & (scores < WANTED[1]), 1.0, 0.05)
    spread = scores.std(axis=0)
    for _ in range(50):
        easier = ((scores - mean) * spread * matters).sum(1) / (spread**2 * matters).sum(1)
        easier = (easier - easier.mean()) / easier.std()
        mean = ((scores - np.outer(easier, spread)) * matters).sum(0) / matters.sum(0)
        spread = np.maximum(((scores - mean) * easier[:, None] * matters).sum(0) / (easier[:, None]**2 * matters).sum(0), 0.4)
    # Pictures in one colour score as rounding has it: a finer dial is never worse on the whole.
    for at in range(1, len(mean)):
        mean[at] = max(mean[at], mean[at - 1] + 0.05)
    features = np.array([row["features"] + [1.0] for row in rows])
    centred = features[:, :-1].mean(0)
    # A little ridge: there are few pictures.
    a = np.c_[features[:, :-1] - centred, np.ones(len(rows))]
    scale = a[:, :-1].std(0)
    a[:, :-1] /= scale
    w = np.linalg.solve(a.T @ a + np.diag([1.0] * (a.shape[1] - 1) + [0.0]), a.T @ easier)
    share = 1 - ((a @ w - easier) ** 2).sum() / (easier**2).sum()
    linear = w[:-1] / scale
    constant = w[-1] - (linear * centred).sum()
    return mean, spread, weights.mean(0), list(linear) + [constant], share


def main():
    kinds = defaultdict(list)
    for path in sys.argv[1:]:
        for line in open(path):
            row = json.loads(line)
            kinds[row["format"], row["chroma"].capitalize(), row["nature"]].append(row)
    for format in KNOTS:
        if not any(kinds[format, chroma, nature] for chroma, nature in NATURES):
            continue
        lines = ["//! Fitted by benches/fit_curves.py on 19 photos and 22 graphics; do not edit by hand.\n",
                 "// A fitted number is no constant of nature, however near.\n#![allow(clippy::approx_constant)]\n",
                 "use crate::budget::{Prior, knot};\n"]
        for chroma, nature in NATURES:
            rows = kinds[format, chroma, nature]
            if not rows:
                continue
            dials = KNOTS[format] if format == "png" else {"Counted": COUNTED, "Near": NEAR}.get(chroma, KNOTS[format])
            mean, spread, weight, features, share = fit(rows, dials)
            print(f"{format} {chroma} {nature}: {len(rows)} curves, features tell {share:.0%} of how easy", file=sys.stderr)
            lines.append(f"pub(super) const {chroma.upper()}_{nature.upper()}: Prior = Prior {{\n    knots: &[")
            for d, m, s, w in zip(dials, mean, spread, weight):
                lines.append(f"        knot({d}.0, {tidy(m)}, {tidy(s)}, {tidy(w)}),")
            lines.append(f"    ],\n    features: &[{', '.join(tidy(f) for f in features[:-1])}],\n    constant: {tidy(features[-1])},\n}};\n")
        with open(f"crates/core/src/encode/{format}/curves.rs", "w") as file:
            file.write("\n".join(lines))


if __name__ == "__main__":
    main()
