"""Runs macros in an office without a screen: `office.py ORDER.json`, by a Python that knows the office's own bridge (UNO).

The order: `modules` (name -> text), `document` (a path, or empty for an empty sheet), `start` (MODULE.PROCEDURE), `profile`
(a folder of ours), `told` (a file: what the office thinks of each text of `tried`, whether it compiles). Only the standard
library and the bridge are used. When standard input ends, whoever gave the order is gone, and the office goes with him.
"""

import contextlib
import json
import os
import signal
import subprocess
import sys
import threading
import time

import uno
from com.sun.star.beans import PropertyValue
from com.sun.star.script.provider import ScriptFrameworkErrorException

#: Seconds until the office must be there, and until it must be gone.
START, END = 60.0, 10.0


def prop(name, value):
    """Return one property as the bridge wants it."""
    made = PropertyValue()
    made.Name, made.Value = name, value
    return made


def connected(pipe, office):
    """Return the office's context once it answers."""
    local = uno.getComponentContext()
    resolver = local.ServiceManager.createInstanceWithContext("com.sun.star.bridge.UnoUrlResolver", local)
    until = time.monotonic() + START
    while time.monotonic() < until and office.poll() is None:
        try:
            return resolver.resolve(f"uno:pipe,name={pipe};urp;StarOffice.ComponentContext")
        except Exception:  # the bridge's own errors are made at run time
            time.sleep(0.05)
    sys.exit("the office did not start")


def library(document, modules):
    """Put the modules into the document's own library."""
    libraries = document.BasicLibraries
    if not libraries.hasByName("Standard"):
        libraries.createLibrary("Standard")
    libraries.loadLibrary("Standard")
    there = libraries.getByName("Standard")
    for name, text in modules.items():
        if there.hasByName(name):
            there.replaceByName(name, text)
        else:
            there.insertByName(name, text)


def invoke(document, start):
    """Call a procedure; what fails in it is told to nobody."""
    script = document.getScriptProvider().getScript(f"vnd.sun.star.script:Standard.{start}?language=Basic&location=document")
    return script.invoke((), (), ())[0]


def compiles(document, name, text):
    """Tell whether a module compiles: a function of ours at its end can be called only then."""
    mark = "JamKeyMark"
    library(document, {name: f"{text}\nFunction {mark}\n    {mark} = 7\nEnd Function\n"})
    try:
        return invoke(document, f"{name}.{mark}") == 7
    except ScriptFrameworkErrorException:
        return False  # what does not compile has no functions


def macros(document):
    """Return the modules of the document's own library."""
    libraries = document.BasicLibraries
    if not libraries.hasByName("Standard"):
        return {}
    libraries.loadLibrary("Standard")
    there = libraries.getByName("Standard")
    return {name: there.getByName(name) for name in there.getElementNames()}


def do(desktop, order, told):
    """Do what the order says with the document, and note what is told."""
    url = uno.systemPathToFileUrl(os.path.abspath(order["document"])) if order["document"] else "private:factory/scalc"
    # read only: nothing is locked or saved; 4: macros run, and nobody is asked
    document = desktop.loadComponentFromURL(
        url, "_blank", 0, (prop("Hidden", True), prop("ReadOnly", True), prop("MacroExecutionMode", 4))
    )
    if order.get("list"):
        told["modules"] = macros(document)
    library(document, order["modules"])
    for name, text in order.get("tried", []):
        told["compiles"].append(compiles(document, name, text))
    if order["start"]:
        library(document, order["modules"])
        told["given"] = repr(invoke(document, order["start"]))
    document.close(True)


def ended(office):
    """End what is left of the office."""
    try:
        os.killpg(office.pid, signal.SIGKILL)
    except AttributeError:  # a system without groups
        office.kill()
    except OSError:
        pass  # it is gone


def minded(office):
    """Wait until standard input ends, and end the office and ourselves."""
    while os.read(0, 1024):
        pass
    ended(office)
    os._exit(1)


def main(path):
    """Do what the order says; return the exit status of the bridge, not of the macro."""
    with open(path, encoding="utf-8") as handle:
        order = json.load(handle)
    pipe = f"jamkey{os.getpid()}"
    words = ["--headless", "--norestore", "--nologo", "--nodefault", "--nofirststartwizard"]
    words += ["-env:UserInstallation=" + uno.systemPathToFileUrl(order["profile"]), f"--accept=pipe,name={pipe};urp;"]
    # a script starts a starter that starts the office: a group of their own, so that all can be ended
    nothing = subprocess.DEVNULL
    office = subprocess.Popen([order["office"], *words], stdin=nothing, stdout=nothing, stderr=nothing, start_new_session=True)
    threading.Thread(target=minded, args=(office,), daemon=True).start()
    told = {"compiles": [], "modules": {}}
    try:
        context = connected(pipe, office)
        desktop = context.ServiceManager.createInstanceWithContext("com.sun.star.frame.Desktop", context)
        try:
            do(desktop, order, told)
        finally:
            with contextlib.suppress(Exception):  # it goes while it answers
                desktop.terminate()
    finally:
        with open(order["told"], "w", encoding="utf-8") as handle:
            json.dump(told, handle)
        with contextlib.suppress(subprocess.TimeoutExpired):
            office.wait(END)
        ended(office)
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1]))
