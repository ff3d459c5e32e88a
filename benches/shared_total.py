"""One total for many pictures: shared, against equal shares and against one dial for all.

  python3 benches/shared_total.py target/release/kiln PHOTOS [WIDTH [FORMAT [TOTAL]]]

such as `photos 800 webp 1MB`. All three wish for a look of 90 and may go down to any look. Prints
what the pictures weigh together, the worst score and the mean. Needs nothing beside Python.
"""
import json, subprocess, sys, tempfile

KILN, PHOTOS, WIDTH, FORMAT, TOTAL = sys.argv[1:3] + (sys.argv[3:] + ["800", "webp", "1MB"][len(sys.argv) - 3:])


def fire(*options):
    with tempfile.TemporaryDirectory() as out:
        command = [KILN, "fire", "--no-kiln", "--json", "-o", out, "-w", WIDTH, "-f", FORMAT, *options, PHOTOS]
        done = subprocess.run(command, capture_output=True, check=False)
        pieces = [p for o in json.loads(done.stdout)["originals"] for p in o["pieces"]]
        assert all(p["weight"] for p in pieces), done.stderr
        return pieces


def told(name, pieces):
    scores = [p["score"] for p in pieces]
    encodes = sum(len(p["encodes"]) for p in pieces) / len(pieces)
    print(f"{name:22} {sum(p['weight'] for p in pieces) / 1e3:8.1f} KB  worst {min(scores):5.1f}"
          f"  mean {sum(scores) / len(scores):5.1f}  encodes {encodes:.1f}")


def common_dial(total):
    """The highest dial at which all pictures together keep the total."""
    low, high = 1, 100
    best = fire("-q", "1")
    while low < high:
        dial = (low + high + 1) // 2
        pieces = fire("-q", str(dial))
        if sum(p["weight"] for p in pieces) <= total:
            low, best = dial, pieces
        else:
            high = dial - 1
    return low, best


unit = next(u for u in ("MB", "KB", "B") if TOTAL.upper().endswith(u))
total = float(TOTAL[:-len(unit)]) * {"MB": 1e6, "KB": 1e3, "B": 1}[unit]
wish = ["-l", "90", "--least-look", "0"]
shared = fire(*wish, "--max-total", TOTAL)
told("shared", shared)
told("equal shares", fire(*wish, "--max-weight", f"{int(total / len(shared))}"))
dial, pieces = common_dial(total)
told(f"one dial for all ({dial})", pieces)
