"""Opens a web page without a screen and reports what its scripts fail on: `python -m jamkey.observe.browser [--in NAMES] FILE`.

NAMES are browsers, with commas between: the page is visited in each in turn. Without them the first that is there is taken.
What the page logs goes to standard output; an error nobody caught goes to standard error as the browser's console shows it,
with its stack. Exit status 1 when there was one.
"""

from __future__ import annotations

import functools
import http.server
import os
import re
import shutil
import sys
import tempfile
import threading
from collections.abc import Sequence
from pathlib import Path
from urllib.parse import quote

from jamkey.observe import chromium, firefox

#: Seconds without news, once the page is loaded, after which its scripts count as done.
QUIET = 0.6
#: Seconds for the whole visit.
LONGEST = 30.0
#: A page that asks for these works only when it comes from a server.
_NEEDS_SERVER = re.compile(r"""type\s*=\s*["']module["']|\bfetch\s*\(|XMLHttpRequest|\bimport\s*\(""")


def main(words: list[str]) -> int:
    """Open the page; return 1 when a script of it failed, else 0."""
    wanted = words[1].split(",") if words[0] == "--in" else []
    file = Path(words[-1]).resolve()
    families = [family for family in (chromium, firefox) if not wanted or set(wanted) & set(family.PROGRAMS)]
    there = [(family, path) for family in families if (path := _program(family.PROGRAMS, wanted)) is not None]
    if not there or len(there) < len(wanted):
        names = " or ".join(wanted) or "Chromium or Firefox"
        sys.stderr.write(f"jamkey: {names} is not installed or not on the path: install it to run pages\n")
        return 127
    server = _server(file)
    try:
        url = f"http://localhost:{server.server_port}/{quote(file.name)}" if server is not None else file.as_uri()
        failed = 0
        for family, browser in there if wanted else there[:1]:
            if len(wanted) > 1:
                sys.stderr.write(f"in {os.path.basename(browser)}:\n")
            scratch = tempfile.mkdtemp(prefix=f"jamkey-page-{os.getpid()}-")
            try:
                failed = family.visit(browser, scratch, url, longest=LONGEST, quiet=QUIET) or failed
                sys.stdout.flush()
                sys.stderr.flush()
            finally:
                shutil.rmtree(scratch, ignore_errors=True)
        return failed
    finally:
        if server is not None:
            server.shutdown()


def _program(names: Sequence[str], wanted: Sequence[str]) -> str | None:
    """Return the path of the first program that is there, of those that are wanted."""
    return next((path for name in names if (not wanted or name in wanted) and (path := shutil.which(name)) is not None), None)


class _Silent(http.server.SimpleHTTPRequestHandler):
    def log_message(self, format: str, *args: object) -> None:
        """Say nothing: the page's own output is what counts."""


def _server(file: Path) -> http.server.ThreadingHTTPServer | None:
    """Serve the page's folder on this machine only, when its text asks for a server."""
    texts = [file, *file.parent.rglob("*.js")][:50]
    if not any(_NEEDS_SERVER.search(path.read_text("utf-8", "replace")) for path in texts):
        return None
    server = http.server.ThreadingHTTPServer(("localhost", 0), functools.partial(_Silent, directory=str(file.parent)))
    threading.Thread(target=server.serve_forever, daemon=True).start()
    return server


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
