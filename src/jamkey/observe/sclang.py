"""Runs a script of the sound-synthesis language: `python -m jamkey.observe.sclang FILE`.

sclang keeps waiting after an error and prints it to standard output. Here an error goes to standard error, and ends the
program with status 1 once nothing more comes. No screen is needed.
"""

from __future__ import annotations

import os
import select
import shutil
import subprocess
import sys
import time

from jamkey import system

#: Seconds without output after an error until the program is ended.
QUIET = 1.0


def main(words: list[str]) -> int:
    """Run the script; return its exit status, 1 after an error."""
    program = shutil.which("sclang")
    if program is None:
        sys.stderr.write("jamkey: sclang is not installed or not on the path: install it, or use jamkey run -- COMMAND\n")
        return 127
    env = dict(os.environ)
    if not env.get("DISPLAY") and not env.get("WAYLAND_DISPLAY"):
        env.setdefault("QT_QPA_PLATFORM", "offscreen")
    if system.is_superuser():
        env.setdefault("QTWEBENGINE_DISABLE_SANDBOX", "1")  # its help browser starts for the root user only without it
    buffered = shutil.which("stdbuf")
    command = [*([buffered, "-oL"] if buffered else []), program, *words]
    process = subprocess.Popen(command, env=env, stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.STDOUT)
    try:
        failed = _pass_on(process)
    except KeyboardInterrupt:
        failed = False
        process.terminate()
    if failed:
        process.terminate()
    try:
        status = process.wait(3)
    except subprocess.TimeoutExpired:
        process.kill()
        status = process.wait()
    return 1 if failed else max(status, 0)


def _pass_on(process: subprocess.Popen[bytes]) -> bool:
    """Hand the output on, errors to standard error; return whether there was one when it ends or falls silent."""
    out = process.stdout
    assert out is not None
    failed, left, last = False, b"", time.monotonic()
    while True:
        ready, _, _ = select.select([out], [], [], 0.1)
        if ready:
            data = os.read(out.fileno(), 65536)
            if not data:
                break
            last = time.monotonic()
            *rows, left = (left + data).split(b"\n")
            for row in rows:
                failed = failed or row.startswith(b"ERROR:")
                os.write(2 if failed else 1, row + b"\n")
        elif failed and time.monotonic() - last > QUIET:
            break
    if left:
        os.write(2 if failed else 1, left)
    return failed


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
