"""Lines of code and share of tests, among the files git knows."""

import subprocess
from pathlib import Path


def lines(*patterns: str) -> int:
    names = subprocess.run(
        ["git", "ls-files", "-co", "--exclude-standard", *patterns],
        capture_output=True,
        text=True,
        check=True,
    ).stdout.split()
    return sum(len(Path(name).read_text(encoding="utf-8").splitlines()) for name in names)


code, tests = lines("src/*.py"), lines("tests/*.py")
around = lines("campaigns/*.py", "benchmarks/*.py", "tools/*.py")
print(f"code        {code:6d} lines")
print(f"tests       {tests:6d} lines")
print(f"around them {around:6d} lines (campaigns, benchmarks, tools)")
print(f"share of tests {100 * tests / (code + tests):.0f} % of code and tests (aim: 25 to 33 %)")
