"""`kiln rewire` over a large site, beside a loop that only reads and hashes its files.

  python3 benches/rewire_beside_reading.py target/release/kiln [PAGES] [REFERENCES]

Makes a site of so many pages (5000), each with so many references (10) to ten originals, fires these, and
prints seconds and ratios: of a dry run, of the run that writes, and of a second run that finds nothing to do;
the most memory that each took; and that of a site of a tenth of the pages.
"""
import hashlib, os, resource, subprocess, sys, tempfile, time
from concurrent.futures import ProcessPoolExecutor

KILN = os.path.abspath(sys.argv[1])
PAGES = int(sys.argv[2]) if len(sys.argv) > 2 else 5000
EACH = int(sys.argv[3]) if len(sys.argv) > 3 else 10
TEXT = "<p>The keeper's log of that year tells of wind, of fog and of the boat that came late. </p>\n" * 30


def picture(path, level):
    rows = bytes((x * 7 + y * level) % 256 for y in range(60) for x in range(90) for _ in range(3))
    with open(path, "wb") as file:
        file.write(b"P6 90 60 255\n" + rows)


def site(folder, pages):
    os.makedirs(f"{folder}/site/in")
    for number in range(10):
        picture(f"{folder}/site/in/photo{number}.ppm", number + 1)
    open(f"{folder}/site/site.css", "w").write("img{max-width:100%;height:auto}\n.hero{background:url(in/photo1.ppm)}\n")
    open(f"{folder}/kiln.toml", "w").write(
        'originals = "site/in"\nout = "site/img"\n[every]\nwidth = 40\ndensities = [1, 2]\nformats = ["webp", "jpeg"]\nquality = 60\n')
    for page in range(pages):
        where = f"{folder}/site/{page % 50:02}"
        os.makedirs(where, exist_ok=True)
        shown = "".join(f'{TEXT}<img src="../in/photo{(page + n) % 10}.ppm" alt="Photo {n}">\n' for n in range(EACH))
        open(f"{where}/{page}.html", "w").write(
            f"<!doctype html>\n<title>Page {page}</title>\n<link rel=stylesheet href=../site.css>\n{shown}")
    subprocess.run([KILN, "fire", "--quiet"], cwd=folder, check=True)


def hashed(paths):
    for path in paths:
        hashlib.blake2b(open(path, "rb").read()).digest()


def reading(folder):
    paths = [os.path.join(root, name) for root, _, names in os.walk(f"{folder}/site") for name in names if name.endswith(("html", "css"))]
    start = time.perf_counter()
    with ProcessPoolExecutor(2) as pool:
        list(pool.map(hashed, (paths[::2], paths[1::2])))
    return time.perf_counter() - start


def rewiring(folder, *words):
    start = time.perf_counter()
    child = os.fork()
    if child == 0:
        os.chdir(folder)
        nowhere = os.open(os.devnull, os.O_WRONLY)
        os.dup2(nowhere, 1)
        os.execv(KILN, [KILN, "rewire", "site", *words])
    _, status, usage = os.wait4(child, 0)
    assert os.waitstatus_to_exitcode(status) == 0
    return time.perf_counter() - start, usage.ru_maxrss / 1000


def main():
    for pages in (PAGES // 10, PAGES):
        with tempfile.TemporaryDirectory() as folder:
            site(folder, pages)
            base = min(reading(folder) for _ in range(3))
            print(f"{pages} pages, {pages * EACH} references: reading and hashing {base:.2f} s")
            for name, words in [("dry run", ["--dry-run"]), ("run", []), ("second run", [])]:
                seconds, memory = rewiring(folder, *words)
                print(f"  {name}: {seconds:.2f} s, {seconds / base:.1f} times that; {memory:.0f} MB")


main()
