"""Lines of code and share of tests, among the files git knows; where the last `./dev test` spent its time."""

import subprocess
from collections import Counter
from pathlib import Path
from xml.etree import ElementTree

TIMES = Path(".times.xml")
BUDGET_S = {"ui": 200, "engine": 150, "keeper": 110, "files": 60, "cli": 50, "planning": 40, "simulator": 25,
            "solving": 15}  # fmt: skip
"""Seconds of work, on whichever core; two cores in six minutes have 720, less linters and start."""
OTHERS_S = 30


def lines(*patterns: str) -> int:
    names = subprocess.run(
        ["git", "ls-files", "-co", "--exclude-standard", *patterns],
        capture_output=True,
        text=True,
        check=True,
    ).stdout.split()
    return sum(len(Path(name).read_text(encoding="utf-8").splitlines()) for name in names)


def tell_lines() -> None:
    code, tests = lines("src/*.py"), lines("tests/*.py")
    around = lines("campaigns/*.py", "benchmarks/*.py", "tools/*.py")
    print(f"code        {code:6d} lines")
    print(f"tests       {tests:6d} lines")
    print(f"around them {around:6d} lines (campaigns, benchmarks, tools)")
    print(f"share of tests {100 * tests / (code + tests):.0f} % of code and tests (aim: 25 to 33 %)")


def tell_times() -> None:
    if not TIMES.exists():
        print("\nno times yet: ./dev test writes them")
        return
    root = ElementTree.parse(TIMES).getroot()
    tests = [
        (float(case.get("time", 0)), f"{case.get('classname')}.{case.get('name')}")
        for case in root.iter("testcase")
    ]
    folders: Counter[str] = Counter()
    for took_s, name in tests:
        folder = name.split(".")[1]
        folders[folder if folder in BUDGET_S else "others"] += took_s
    print(f"\n{len(tests)} tests, {sum(folders.values()):.0f} s of work")
    for folder, took_s in folders.most_common():
        budget_s = BUDGET_S.get(folder, OTHERS_S)
        print(f"{folder:12}{took_s:6.0f} of {budget_s:4d} s{'   over' if took_s > budget_s else ''}")
    print("slowest")
    for took_s, name in sorted(tests, reverse=True)[:12]:
        print(f"{took_s:6.1f} s  {name.removeprefix('tests.')}")


tell_lines()
tell_times()
