"""The whole API, asked odd things as each of the roles: no server error, and nothing for who may not have it.

    python benchmarks/every_role.py [--examples 200] [--roles owner,operator,viewer]

Schemathesis makes the requests from our own description of the API, `examples` for each operation; tests/outside/
test_api.py asks them, in a shop with one of everything. Printed: what each role was asked, and what was found. Asked
for: nothing. With 200 examples it takes about half an hour a role on two cores; six examples, as the owner, are in
./check."""

import argparse
import os
import subprocess
import sys
import time
from pathlib import Path

ROOT = Path(__file__).parents[1]


def main() -> None:
    asked = argparse.ArgumentParser()
    asked.add_argument("--examples", type=int, default=200)
    asked.add_argument("--roles", default="owner,operator,viewer")
    wanted = asked.parse_args()
    for role in wanted.roles.split(","):
        told = {"SCHEMATHESIS_EXAMPLES": str(wanted.examples), "SCHEMATHESIS_ROLE": role}
        command = [sys.executable, "-m", "pytest", "-n", "2", "tests/outside/test_api.py"]
        begun = time.monotonic()
        done = subprocess.run(
            command, cwd=ROOT, env={**os.environ, **told}, capture_output=True, text=True, check=False
        )
        last = done.stdout.strip().splitlines()[-1] if done.stdout.strip() else done.stderr[-200:]
        found = [line for line in done.stdout.splitlines() if line.startswith(("E   ", "FAILED"))]
        print(f"{role}: {wanted.examples} examples an operation, {time.monotonic() - begun:.0f} s: {last}", flush=True)
        for line in found[:20]:
            print(f"  {line[:300]}", flush=True)


if __name__ == "__main__":
    main()
