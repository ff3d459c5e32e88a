"""Kills at random moments, each followed by a run to the end: what stands then has to be what a run that nobody disturbed
leaves, byte for byte, with no half file and no lost record.

    python benches/storm.py KILN [--kills 1000] [--seed 7]

Needs nothing but Python and a built program. By turns a firing, its parts and their gathering, a delivery to a folder,
and the rewiring of a site are killed (SIGKILL) up to five times in a row, at a moment of what they take undisturbed. The
first state that differs is told with its files and kept.
"""

import argparse
import pathlib
import random
import shutil
import subprocess
import sys
import tempfile
import time

SITE = """
originals = "originals"
out = "OUT"

[every]
width = 48
look = "plain"
formats = ["webp", "jpeg"]

[place.series]
of = ["rooms/**"]
width = [32, 64]
name = "rooms/{number:2}-{width}"

[place.mark]
of = ["graphics/**"]
height = 24
formats = ["auto"]
"""


def tree(folder):
    """Every file of a folder with its bytes, but for locks."""
    files = (path for path in sorted(folder.rglob("*")) if path.is_file() and not path.name.endswith("lock"))
    return {str(path.relative_to(folder)): path.read_bytes() for path in files}


class Storm:
    def __init__(self, kiln, folder, kills, chance):
        self.kiln, self.folder, self.left, self.chance = kiln, folder, kills, chance
        self.done, self.spared = 0, 0

    def run(self, *arguments, may=(0, 1)):
        done = subprocess.run([self.kiln, *map(str, arguments)], cwd=self.folder, capture_output=True, text=True)
        assert done.returncode in may, (arguments, done.returncode, done.stderr[-800:])
        return done

    def timed(self, *arguments):
        start = time.perf_counter()
        self.run(*arguments)
        return time.perf_counter() - start

    def killed(self, seconds, *commands):
        """Begins commands together and kills them somewhere in the time that one takes."""
        running = [subprocess.Popen([self.kiln, *map(str, command)], cwd=self.folder, stdout=subprocess.DEVNULL,
                                    stderr=subprocess.DEVNULL) for command in commands]
        time.sleep(self.chance.random() * seconds * 1.1)
        for one in running:
            if one.poll() is None:
                one.kill()
                self.done += 1
            else:
                self.spared += 1
            one.wait()

    def expect(self, what, found, wanted):
        if found == wanted:
            return
        names = sorted(name for name in found.keys() | wanted.keys() if found.get(name) != wanted.get(name))
        kept = pathlib.Path(tempfile.mkdtemp(prefix="storm-"))
        shutil.copytree(self.folder, kept / "site", symlinks=True)
        sys.exit(f"after {self.done} kills {what} differs in {names[:8]} ({len(names)} in all); kept in {kept}")


def main():
    ask = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    ask.add_argument("kiln", type=pathlib.Path)
    ask.add_argument("--kills", type=int, default=1000)
    ask.add_argument("--seed", type=int, default=7)
    asked = ask.parse_args()
    chance = random.Random(asked.seed)
    with tempfile.TemporaryDirectory() as folder:
        folder = pathlib.Path(folder)
        subprocess.run([asked.kiln.resolve(), "demo", folder / "demo", "--quiet"], capture_output=True)
        shutil.copytree(folder / "demo" / "originals", folder / "originals")
        (folder / "site").mkdir()
        for page in ("index.html", "rooms.html", "museum.html", "site.css"):
            shutil.copy(folder / "demo" / "before" / page, folder / "site" / page)
        storm = Storm(asked.kiln.resolve(), folder, asked.kills, chance)
        (folder / "kiln.toml").write_text(SITE.replace("OUT", "one"))
        fire = ("fire", "--quiet", "--out")
        took = storm.timed(*fire, "one")
        wanted = tree(folder / "one")
        storm.run("deliver", "./target-one", "--out", "one")
        delivered = tree(folder / "target-one")
        pages = [folder / "site" / name for name in ("index.html", "rooms.html", "museum.html", "site.css")]
        plain = {page.name: page.read_bytes() for page in pages}
        storm.run("rewire", "site", "--out", "one", "--base", "/img")
        rewired = {page.name: page.read_bytes() for page in pages}
        print(f"{len(wanted)} files in {took:.1f} s; {len(delivered)} delivered; "
              f"{sum(plain[name] != rewired[name] for name in plain)} pages rewired", flush=True)
        turns = {"fire": 0, "parts": 0, "deliver": 0, "rewire": 0}
        start = time.perf_counter()
        while storm.done < asked.kills:
            turn = chance.choice(list(turns))
            before, out = storm.done, folder / "many"
            if turn == "fire":
                shutil.rmtree(out, ignore_errors=True)
                for _ in range(chance.randint(1, 5)):
                    storm.killed(took, (*fire, "many"))
                storm.run(*fire, "many")
                storm.expect("a firing", tree(out), wanted)
            elif turn == "parts":
                shutil.rmtree(out, ignore_errors=True)
                parts = [(*fire, "many", "--part", f"{part}/3") for part in (1, 2, 3)]
                for _ in range(chance.randint(1, 3)):
                    storm.killed(took, *parts)
                storm.run(*parts[chance.randrange(3)])
                for _ in range(chance.randint(0, 3)):
                    if (out / ".kiln-parts").exists():
                        storm.killed(took, (*fire, "many", "--gather"))
                gather = ["--gather"] if any((out / ".kiln-parts").glob("*.journal")) else []
                storm.run(*fire, "many", *gather)
                storm.expect("what was gathered", tree(out), wanted)
            elif turn == "deliver":
                shutil.rmtree(folder / "target-many", ignore_errors=True)
                shutil.rmtree(out, ignore_errors=True)
                shutil.copytree(folder / "one", out)
                for _ in range(chance.randint(1, 5)):
                    storm.killed(0.05, ("deliver", "./target-many", "--out", "many"))
                storm.run("deliver", "./target-many", "--out", "many")
                storm.expect("a delivery", tree(folder / "target-many"), delivered)
                storm.run("deliver", "./target-many", "--out", "many", "--verify", may=(0,))
            else:
                for page in pages:
                    page.write_bytes(plain[page.name])
                command = ("rewire", "site", "--out", "one", "--base", "/img")
                for _ in range(chance.randint(1, 5)):
                    storm.killed(0.03, command)
                storm.run(*command)
                storm.expect("a rewiring", {page.name: page.read_bytes() for page in pages}, rewired)
            turns[turn] += storm.done - before
        seconds = time.perf_counter() - start
        told = ", ".join(f"{count} of {turn}" for turn, count in turns.items())
        print(f"{storm.done} kills ({told}) in {seconds:.0f} s, and {storm.spared} that came too late: all states as wanted")


if __name__ == "__main__":
    main()
