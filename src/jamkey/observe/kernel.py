"""Runs a notebook from its first cell to its last in a kernel of its own: `python -m jamkey.observe.kernel FILE`.

What the cells print goes to standard output, the traceback of the first cell that fails to standard error; the exit
status is then 1. The file is only read. The kernel is the one of the interpreter that `--python` names.
"""

from __future__ import annotations

import os
import sys
from collections.abc import Callable
from pathlib import Path
from typing import Any

from jamkey.errors import JamkeyError
from jamkey.ipynb import cells_of
from jamkey.text import decode

_HERE = Path(__file__).resolve().parent
#: Seconds a kernel may take to start.
_START = 60.0
_NEEDS = "a notebook needs a kernel: pip install 'jamkey[notebook]' here, and ipykernel in the environment it runs in"


def main(words: list[str]) -> int:
    """Run the notebook; return the exit status."""
    python = sys.executable
    if words[:1] == ["--python"]:
        python, words = words[1], words[2:]
    wire = os.environ.pop("JAMKEY_WIRE", "")
    os.environ.pop("PYTHONPATH", None)
    if "JAMKEY_PYTHONPATH" in os.environ:
        os.environ["PYTHONPATH"] = os.environ.pop("JAMKEY_PYTHONPATH")
    try:
        cells = cells_of(decode(Path(words[0]).read_bytes()), name=words[0])
        return _run(
            [cell.source for cell in cells if cell.code and cell.source.strip()], python, Path(words[0]).resolve().parent, wire
        )
    except (JamkeyError, OSError) as error:
        sys.stderr.write(f"jamkey: {error}\n")
        return 2


def _run(sources: list[str], python: str, folder: Path, wire: str) -> int:
    try:
        from jupyter_client.manager import KernelManager
    except ImportError:
        raise JamkeyError(_NEEDS) from None
    manager: Any = KernelManager(kernel_name="python3")
    # the kernel's command is fixed by the interpreter that is asked for, whatever is registered on this machine
    manager._kernel_spec = _spec(python)
    try:
        manager.start_kernel(cwd=str(folder), stdout=None, stderr=-3)
        client = manager.blocking_client()
        client.start_channels()
        try:
            client.wait_for_ready(timeout=_START)
        except RuntimeError:
            raise JamkeyError(_NEEDS) from None
        for source in sources:
            if not _executed(manager, client, source, _show):
                if wire:
                    agent = str(_HERE / "agents" / "in_kernel.py")
                    report = f"__import__('runpy').run_path({agent!r})['report']({wire!r}, get_ipython())"
                    client.execute_interactive(
                        report, silent=True, store_history=False, output_hook=lambda message: None, timeout=20
                    )
                return 1
        return 0
    finally:
        manager.shutdown_kernel(now=True)


def _spec(python: str) -> Any:
    from jupyter_client.kernelspec import KernelSpec

    command = [python, "-m", "ipykernel_launcher", "-f", "{connection_file}"]
    return KernelSpec(argv=command, display_name="Python 3", language="python", interrupt_mode="signal")


def _executed(manager: Any, client: Any, source: str, show: Callable[[dict[str, Any]], None]) -> bool:
    """Run one cell and pass on what it prints; tell whether it ended well. An interrupt is handed to the kernel."""
    try:
        reply = client.execute_interactive(source, allow_stdin=False, output_hook=show)
        return bool(reply["content"]["status"] == "ok")
    except KeyboardInterrupt:
        manager.interrupt_kernel()
        for _ in range(100):
            message = client.get_iopub_msg(timeout=5)
            show(message)
            if message["msg_type"] == "error":
                return False
        return False


def _show(message: dict[str, Any]) -> None:
    content = message["content"]
    kind = message["msg_type"]
    if kind == "stream":
        stream = sys.stdout if content["name"] == "stdout" else sys.stderr
        stream.write(content["text"])
        stream.flush()
    elif kind in ("execute_result", "display_data"):
        print(content["data"].get("text/plain", ""), flush=True)
    elif kind == "error":
        sys.stderr.write("\n".join(content["traceback"]) + "\n")
        sys.stderr.flush()


if __name__ == "__main__":
    # no clean-up at the interpreter's end can hold the result back
    status = main(sys.argv[1:])
    sys.stdout.flush()
    os._exit(status)
