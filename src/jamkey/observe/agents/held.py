"""Runs one program so that it can change nothing outside given folders, and so that nothing of it outlives its end.

    python -I -S held.py SPECIFICATION PROGRAM ARGV...

Linux. A file of its own, run by path, standard library only: it must start fast and trust nobody. SPECIFICATION is JSON:

    hold      whether the program is held in the folders below; else it is only minded
    writable  folders it may write to, with all below
    scratch   a folder of ours for mount points; one of `writable`
    overlay   {"lower", "upper", "work", "merged"}: a view of `lower` whose changes land in `upper`; absent for none
    cwd       where the program starts
    browser   whether it is a browser, which looks around the network by itself
    answers   number of an open file to which one JSON line is written at the end: {"status", "refused", "unsure", "held"}:
              exit status or minus its signal; what was refused; files that were only opened for reading although the
              program asked for more; by what it was held (empty: by nothing, so it was not started)

Held means: every file system is read-only but for the folders (mount namespace); it sees no other process, no network
but its own loopback, no shared memory but its own (process, network and IPC namespaces); the kernel refuses it the
right to write elsewhere (Landlock) also where namespaces are not to be had. A filter on the few calls that change
something (seccomp) tells us what is attempted, so that the refusal can be named; what is allowed goes on as if nobody
had asked.
"""

import ctypes
import errno
import json
import os
import select
import signal
import socket
import struct
import sys

_LIBC = ctypes.CDLL(None, use_errno=True)
#: clone(2), mount(2), prctl(2), landlock(7), seccomp(2).
_NEWNS, _NEWIPC, _NEWUSER, _NEWPID, _NEWNET = 0x00020000, 0x08000000, 0x10000000, 0x20000000, 0x40000000
_MS_NOSUID, _MS_NODEV, _MS_BIND, _MS_REC, _MS_PRIVATE = 2, 4, 4096, 16384, 1 << 18
_AT_RECURSIVE, _ATTR_RDONLY = 0x8000, 1
_PDEATHSIG, _NO_NEW_PRIVS, _SUBREAPER = 1, 38, 36
_MOUNT_SETATTR, _LANDLOCK_CREATE, _LANDLOCK_ADD, _LANDLOCK_RESTRICT = 442, 444, 445, 446
_MOST_REFUSED = 20
_X86, _ARM = 0xC000003E, 0xC00000B7
#: Call -> its number on x86-64 and on 64-bit ARM (None where it is not there).
_CALLS = {
    "open": (2, None),
    "openat": (257, 56),
    "openat2": (437, 437),
    "creat": (85, None),
    "unlink": (87, None),
    "unlinkat": (263, 35),
    "rename": (82, None),
    "renameat": (264, 38),
    "renameat2": (316, 276),
    "mkdir": (83, None),
    "mkdirat": (258, 34),
    "rmdir": (84, None),
    "link": (86, None),
    "linkat": (265, 37),
    "symlink": (88, None),
    "symlinkat": (266, 36),
    "truncate": (76, 45),
    "chmod": (90, None),
    "fchmod": (91, 52),
    "fchmodat": (268, 53),
    "fchmodat2": (452, 452),
    "chown": (92, None),
    "lchown": (94, None),
    "fchownat": (260, 54),
    "utimensat": (280, 88),
    "setxattr": (188, 5),
    "connect": (42, 203),
    "sendto": (44, 206),
    "kill": (62, 129),
}
#: Call -> (where the folder of a relative path stands, where the path stands); several pairs for two paths.
_PATHS = {
    "open": ((None, 0),),
    "openat": ((0, 1),),
    "openat2": ((0, 1),),
    "creat": ((None, 0),),
    "unlink": ((None, 0),),
    "unlinkat": ((0, 1),),
    "rename": ((None, 0), (None, 1)),
    "renameat": ((0, 1), (2, 3)),
    "renameat2": ((0, 1), (2, 3)),
    "mkdir": ((None, 0),),
    "mkdirat": ((0, 1),),
    "rmdir": ((None, 0),),
    "link": ((None, 1),),
    "linkat": ((2, 3),),
    "symlink": ((None, 1),),
    "symlinkat": ((1, 2),),
    "truncate": ((None, 0),),
    "chmod": ((None, 0),),
    "fchmodat": ((0, 1),),
    "fchmodat2": ((0, 1),),
    "chown": ((None, 0),),
    "lchown": ((None, 0),),
    "fchownat": ((0, 1),),
    "utimensat": ((0, 1),),
    "setxattr": ((None, 0),),
}
#: What a refused call would have done, in words.
_WORDS = {
    "open": "write",
    "openat": "write",
    "openat2": "write",
    "creat": "write",
    "unlink": "delete",
    "unlinkat": "delete",
    "rename": "rename",
    "renameat": "rename",
    "renameat2": "rename",
    "mkdir": "make the folder",
    "mkdirat": "make the folder",
    "rmdir": "delete",
    "link": "make a link",
    "linkat": "make a link",
    "symlink": "make a link",
    "symlinkat": "make a link",
    "truncate": "cut",
}
_WRITING = os.O_WRONLY | os.O_RDWR | os.O_CREAT | os.O_TRUNC | os.O_APPEND
#: Devices that anybody may write to, and what the system keeps of each process.
_HARMLESS = (
    "/dev/null",
    "/dev/zero",
    "/dev/full",
    "/dev/tty",
    "/dev/random",
    "/dev/urandom",
    "/dev/pts/",
    "/dev/shm/",
    "/dev/fd/",
    "/proc/",
    "/dev/mqueue/",
)
#: Where libraries keep what they could do without: refused without a word.
_CACHES = (
    "/.cache/",
    "/.config/",
    "/.local/",
    "/__pycache__/",
    "/.matplotlib/",
    "/.ipython/",
    "/.java/",
    "/.octave",
    "/.npm/",
    "/.Rhistory",
    "/.pki/",
    "/hsperfdata_",
    "/uno_packages/cache/",
)


def main():
    specification = json.loads(sys.argv[1])
    program, argv = sys.argv[2], sys.argv[3:]
    answers = specification["answers"]
    os.set_inheritable(answers, False)
    for number in (signal.SIGINT, signal.SIGQUIT):
        signal.signal(number, signal.SIG_IGN)  # the whole session gets it; the program decides
    signal.signal(signal.SIGTERM, lambda number, frame: _end_all(2))
    _prctl(_SUBREAPER, 1)
    _prctl(_PDEATHSIG, signal.SIGTERM)
    if os.getppid() != specification["parent"]:
        os._exit(1)  # who asked was killed while we were starting
    answer = {"status": 126, "refused": [], "unsure": [], "held": []}
    try:
        if specification["hold"]:
            answer = held(specification, program, argv)
        else:
            answer["status"] = minded(program, argv, specification.get("cwd"))
        _end_all(None)
    finally:
        os.write(answers, (json.dumps(answer) + "\n").encode())
        os._exit(0)


def _prctl(option, *values):
    arguments = [ctypes.c_ulong(value) for value in (*values, 0, 0, 0, 0)[:4]]
    return _LIBC.prctl(option, *arguments)


def _die_with(parent):
    """End when the parent does, also when it did so a moment ago."""
    _prctl(_PDEATHSIG, signal.SIGKILL)
    if os.getppid() not in (parent, 0):  # 0: a parent outside our namespace
        os._exit(1)


# --- minded: nothing is refused, nothing outlives


def minded(program, argv, cwd):
    """Run the program as it is; what it has started ends with it, or with the one who asked."""
    own = os.getpid()
    child = os.fork()
    if child == 0:
        _die_with(own)
        if cwd:
            os.chdir(cwd)
        _become(program, argv)
    return _waited(child)


def _become(program, argv):
    """Turn into the program, with the signals as any program finds them."""
    for number in range(1, signal.NSIG):
        try:
            signal.signal(number, signal.SIG_DFL)
        except (OSError, ValueError):
            continue
    try:
        os.execv(program, argv)
    except OSError as error:
        os.write(2, ("%s cannot be started: %s\n" % (program, error.strerror)).encode("utf-8", "replace"))
    os._exit(127)


def _waited(child):
    """Wait for the child among all that come back to us; return its exit status, or minus its signal."""
    while True:
        try:
            done, status = os.wait()
        except InterruptedError:
            continue
        except ChildProcessError:
            return 1
        if done == child:
            return os.waitstatus_to_exitcode(status)


def _below(pid):
    """Return the processes below one."""
    found = []
    try:
        for task in os.listdir("/proc/%d/task" % pid):
            with open("/proc/%d/task/%s/children" % (pid, task)) as handle:
                found += [int(word) for word in handle.read().split()]
    except (OSError, ValueError):
        pass
    return found


def _end_all(leave):
    """Kill everything below us: what lost its parent has come back to us. Leave then, if a status is given."""
    for _ in range(50):
        left = _below(os.getpid())
        if not left:
            break
        waiting = list(left)
        while waiting:
            pid = waiting.pop()
            try:
                os.kill(pid, signal.SIGSTOP)  # so that it makes no more while we look
            except OSError:
                continue
            waiting += _below(pid)
            left += _below(pid)
        for pid in left:
            try:
                os.kill(pid, signal.SIGKILL)
            except OSError:
                pass
        try:
            while os.waitpid(-1, 0)[0]:
                pass
        except OSError:
            pass
    if leave is not None:
        os._exit(leave)


# --- held


def held(specification, program, argv):
    """Run the program held; return the answer."""
    ours, theirs = socket.socketpair(socket.AF_UNIX, socket.SOCK_STREAM)
    own = os.getpid()
    first = os.fork()
    if first == 0:
        ours.close()
        _die_with(own)
        signal.signal(signal.SIGTERM, signal.SIG_DFL)
        try:
            _apart(specification, program, argv, theirs)
        except BaseException as error:
            os.write(2, ("jamkey: the sandbox could not be made: %s\n" % error).encode("utf-8", "replace"))
        os._exit(126)
    theirs.close()
    return Watcher(specification["writable"], specification.get("browser")).until_end(first, ours)


def _apart(specification, program, argv, channel):
    """Go into namespaces; the process that is the first one there ends all when it ends."""
    inside = _unshared()
    own = os.getpid()
    first = os.fork()
    if first == 0:
        _die_with(own)
        by = []
        if inside:
            if _mounted(specification):
                by.append("namespaces")
            _loopback()
        above = os.getpid()
        child = os.fork()
        if child == 0:
            if not inside:
                _die_with(above)
            if _restricted(specification["writable"], inside):
                by.append("landlock")
            if not by or (specification.get("overlay") and "namespaces" not in by):
                channel.sendall(b"x")  # nothing would hold it: better not started
                os._exit(125)
            channel.sendall(b"%c" % (ord("a") + 2 * ("namespaces" in by) + ("landlock" in by)))
            _watched(channel)
            if specification.get("cwd"):
                os.chdir(specification["cwd"])
            _become(program, argv)
        channel.sendall(b"%d\n" % _waited(child))
        if not inside:
            _end_all(None)
        os._exit(0)
    _waited(first)
    os._exit(0)


def _unshared():
    """Go into namespaces of our own; tell whether they are to be had."""
    user, group = os.geteuid(), os.getegid()
    if _LIBC.unshare(_NEWUSER):
        return False
    try:
        with open("/proc/self/setgroups", "w") as handle:
            handle.write("deny")
        for name, number in (("uid_map", user), ("gid_map", group)):
            with open("/proc/self/" + name, "w") as handle:
                handle.write("%d %d 1" % (number, number))
    except OSError:
        return False
    return not _LIBC.unshare(_NEWNS | _NEWPID | _NEWNET | _NEWIPC)


def _mount(source, target, kind, flags, data=""):
    source, target, kind, data = (part.encode() if part is not None else None for part in (source, target, kind, data))
    if _LIBC.mount(source, target, kind, ctypes.c_ulong(flags), data):
        number = ctypes.get_errno()
        raise OSError(number, "%s on %s: %s" % (kind, target, os.strerror(number)))


def _set_read_only(path, on, recursive):
    attributes = struct.pack("QQQQ", _ATTR_RDONLY if on else 0, 0 if on else _ATTR_RDONLY, 0, 0)
    flags = _AT_RECURSIVE if recursive else 0
    if _LIBC.syscall(_MOUNT_SETATTR, -100, path.encode(), ctypes.c_uint(flags), attributes, ctypes.c_size_t(len(attributes))):
        raise OSError(ctypes.get_errno(), os.strerror(ctypes.get_errno()))


def _mounted(specification):
    """Everything read-only but for the folders; processes and shared memory of our own. Tell whether it is so."""
    overlay = specification.get("overlay")
    try:
        _mount("none", "/", None, _MS_REC | _MS_PRIVATE)
        if overlay:
            options = "lowerdir=%(lower)s,upperdir=%(upper)s,workdir=%(work)s,userxattr" % overlay
            _mount("overlay", overlay["merged"], "overlay", 0, options)
        for folder in specification["writable"]:
            _mount(folder, folder, None, _MS_BIND | _MS_REC)
        _set_read_only("/", True, True)
        for folder in specification["writable"]:
            _set_read_only(folder, False, True)
    except OSError as error:
        if overlay:
            os.write(2, ("jamkey: no view of the folder can be made: %s\n" % error).encode("utf-8", "replace"))
        return False
    for target, kind in (
        ("/dev/shm", "tmpfs"),
        ("/proc", "proc"),
        *((one, "tmpfs") for one in _empty(specification["writable"])),
    ):
        try:
            _mount(kind, target, kind, _MS_NOSUID | _MS_NODEV)
        except OSError:
            continue  # a container hides parts of /proc: the outer one is right but for the numbers of processes
    return True


def _empty(writable):
    """Return the folders of the system of which the program sees an empty one of its own: some look nowhere else for room."""
    return [
        one for one in _ROOMS if os.path.isdir(one) and not any((folder + "/").startswith(one + "/") for folder in writable)
    ]


def _loopback():
    """Bring the loopback of our own network up (netdevice(7))."""
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as handle:
        try:
            import fcntl

            fcntl.ioctl(handle, 0x8914, struct.pack("16sh22x", b"lo", 0x1 | 0x40))
        except OSError:
            pass


def _restricted(writable, inside):
    """Landlock: no right to change a file but below the folders; where namespaces are not to be had, no connections either.

    Tell whether it is enough by itself: from its third version on a file cannot be cut either.
    """
    version = _LIBC.syscall(_LANDLOCK_CREATE, None, ctypes.c_size_t(0), 1)
    _prctl(_NO_NEW_PRIVS, 1)
    if version < 1:
        return False
    # write, remove folder and file, make of seven sorts; from 2 on refer, from 3 on truncate
    rights = (
        1 << 1 | sum(1 << bit for bit in range(4, 13)) | (1 << 13 if version >= 2 else 0) | (1 << 14 if version >= 3 else 0)
    )
    net = 2 if version >= 4 and not inside else 0
    scoped = 3 if version >= 6 else 0
    rules = struct.pack("QQQ", rights, net, scoped)[: 24 if version >= 6 else 16 if version >= 4 else 8]
    handle = _LIBC.syscall(_LANDLOCK_CREATE, rules, ctypes.c_size_t(len(rules)), 0)
    if handle < 0:
        raise OSError(ctypes.get_errno(), "the kernel makes no rule set")
    file_rights = 1 << 1 | (1 << 14 if version >= 3 else 0)
    for place in [
        *writable,
        "/dev/null",
        "/dev/zero",
        "/dev/full",
        "/dev/tty",
        "/dev/random",
        "/dev/urandom",
        "/dev/shm",
        "/dev/pts",
        "/proc/self",
        *(_empty(writable) if inside else ()),
    ]:
        try:
            opened = os.open(place, os.O_PATH | os.O_CLOEXEC)
        except OSError:
            continue
        allowed = rights if os.path.isdir(place) else file_rights
        _LIBC.syscall(_LANDLOCK_ADD, handle, 1, struct.pack("=Qi", allowed, opened), 0)
        os.close(opened)
    if _LIBC.syscall(_LANDLOCK_RESTRICT, handle, 0):
        raise OSError(ctypes.get_errno(), "the kernel takes no rule set")
    os.close(handle)
    return version >= 3


# --- what is attempted


def _architecture():
    """Return (audit number, column in the table of calls), or None on another machine."""
    return {"x86_64": (_X86, 0), "aarch64": (_ARM, 1)}.get(os.uname().machine)


def _filter():
    """Return the program of the filter: the calls of the table are told, an opening only when it writes."""
    found = _architecture()
    if found is None:
        return None
    audit, column = found
    numbers = {name: pair[column] for name, pair in _CALLS.items() if pair[column] is not None}
    code = [(0x20, 0, 0, 4), (0x15, 1, 0, audit), (0x06, 0, 0, 0x7FFF0000), (0x20, 0, 0, 0)]
    for name, number in numbers.items():
        if name in ("open", "openat"):
            flags = 16 + 8 * (1 if name == "open" else 2)
            code += [
                (0x15, 0, 4, number),
                (0x20, 0, 0, flags),
                (0x45, 0, 1, _WRITING),
                (0x06, 0, 0, 0x7FC00000),
                (0x06, 0, 0, 0x7FFF0000),
            ]
        else:
            code += [(0x15, 0, 1, number), (0x06, 0, 0, 0x7FC00000)]
    code.append((0x06, 0, 0, 0x7FFF0000))
    return b"".join(struct.pack("HBBI", *step) for step in code), len(code)


def _watched(channel):
    """Set the filter on ourselves and hand its other end to the watcher; without a filter the folders hold all the same."""
    made = _filter()
    listener = -1
    if made is not None:
        code, length = made
        buffer = ctypes.create_string_buffer(code)
        program = struct.pack("HxxxxxxP", length, ctypes.addressof(buffer))
        listener = _LIBC.syscall(317 if os.uname().machine == "x86_64" else 277, 1, ctypes.c_uint(8), program)
    if listener >= 0:
        socket.send_fds(channel, [b"l"], [listener])
        os.close(listener)
    else:
        channel.sendall(b"n")
    # the watcher must be ready before the first call is told
    channel.recv(1)


#: Folders for temporary files that programs name themselves; where it cannot be emptied for it, it stays read-only.
_ROOMS = ("/var/tmp",)


class Watcher:
    """Answers for the filter: allowed calls go on, others are refused and noted."""

    def __init__(self, writable, browser):
        self.connects = self.unsure = []
        self.writable = [os.path.realpath(folder) for folder in [*writable, *_empty(writable)]]
        self.refused = []
        if not browser:
            self.connects = self.refused
        column = (_architecture() or (0, 0))[1]
        self.names = {pair[column]: name for name, pair in _CALLS.items() if pair[column] is not None}

    def until_end(self, first, channel):
        """Watch until the program has ended; return the answer."""
        answer = {"status": 126, "refused": self.refused, "unsure": self.unsure, "held": []}
        by = channel.recv(1)
        if by not in (b"b", b"c", b"d"):
            _waited(first)
            return answer
        answer["held"] = [name for bit, name in ((2, "namespaces"), (1, "landlock")) if (ord(by) - ord("a")) & bit]
        _, handles, _, _ = socket.recv_fds(channel, 1, 1)
        listener = handles[0] if handles else -1
        channel.sendall(b"g")
        poll = select.poll()
        poll.register(channel, select.POLLIN)
        if listener >= 0:
            poll.register(listener, select.POLLIN)
        told = b""
        while not told.endswith(b"\n"):
            for handle, events in poll.poll():
                if handle == listener:
                    if events & select.POLLIN:
                        self.answer(listener)
                    else:
                        poll.unregister(listener)
                elif handle == channel.fileno():
                    piece = channel.recv(64)
                    told += piece or b"\n"
        _waited(first)
        words = told.split()
        answer["status"] = int(words[0]) if words else -int(signal.SIGKILL)
        return answer

    def answer(self, listener):
        """Take one call, and let it go on or refuse it (seccomp_unotify(2))."""
        import fcntl

        request = bytearray(80)
        try:
            fcntl.ioctl(listener, 0xC0502100, request)
        except OSError:
            return
        mark, pid, _, number, _, _, *arguments = struct.unpack("QIIiIQ6Q", request)
        try:
            error = self.judged(self.names.get(number, ""), pid, arguments)
        except (OSError, ValueError, struct.error):
            error = 0  # it has ended meanwhile, or its memory cannot be read: the folders hold all the same
        answer = struct.pack("QqiI", mark, 0, -error, 0 if error else 1)
        try:
            fcntl.ioctl(listener, 0xC0182101, bytearray(answer))
        except OSError:
            pass

    def judged(self, name, pid, arguments):
        """Return the error with which a call is refused, 0 when it may go on."""
        if name in ("connect", "sendto"):
            return self.address(name, pid, arguments)
        if name == "kill":
            return self.kill(pid, arguments)
        if name == "fchmod":
            return self.path(name, os.readlink("/proc/%d/fd/%d" % (pid, arguments[0])))
        for folder, place in _PATHS[name]:
            flags = arguments[place + 1] if name in ("open", "openat") else 0
            error = self.path(name, self.full(pid, arguments[folder] if folder is not None else None, arguments[place]), flags)
            if error:
                return error
        return 0

    def full(self, pid, folder, address):
        """Return the path that a call names, absolute."""
        text = self.memory(pid, address, 4096).split(b"\0")[0]
        path = os.fsdecode(text)
        if not os.path.isabs(path):
            number = ctypes.c_int(folder & 0xFFFFFFFF).value if folder is not None else -100
            base = os.readlink("/proc/%d/cwd" % pid if number == -100 else "/proc/%d/fd/%d" % (pid, number))
            path = os.path.join(base, path)
        head, tail = os.path.split(os.path.normpath(path))
        return os.path.join(os.path.realpath(head), tail)

    def memory(self, pid, address, size):
        with open("/proc/%d/mem" % pid, "rb", 0) as handle:
            handle.seek(address)
            try:
                return handle.read(size)
            except OSError:
                handle.seek(address)
                return handle.read(4096 - address % 4096)

    def path(self, name, path, flags=0):
        for folder in self.writable:
            if path == folder or path.startswith(folder + "/"):
                return 0
        if path.startswith(_HARMLESS):
            return 0
        if name in ("open", "openat", "openat2", "mkdir", "mkdirat") and os.path.isdir(path):
            return 0  # a folder opened, or one that is there: nothing changes
        if any(part in path + "/" for part in _CACHES):
            return errno.EACCES
        # databases open for both and go on with reading where that is all they get
        both = flags & os.O_RDWR and not flags & (os.O_TRUNC | os.O_APPEND) and os.path.exists(path)
        self.note("%s %s" % (_WORDS.get(name, "change"), path), self.unsure if both else self.refused)
        return errno.EACCES

    def note(self, text, where=None):
        where = self.refused if where is None else where
        if text not in where and len(where) < _MOST_REFUSED:
            where.append(text)

    def address(self, name, pid, arguments):
        place, size = (arguments[1], arguments[2]) if name == "connect" else (arguments[4], arguments[5])
        if not place or size < 2:
            return 0
        data = self.memory(pid, place, min(size, 128))
        family = struct.unpack_from("H", data)[0]
        if family == socket.AF_UNIX:
            path = os.fsdecode(data[2:size].split(b"\0")[0])
            if not path or any(path.startswith(folder + "/") for folder in self.writable):
                return 0
            if "nscd" not in path:
                self.note("connect to %s" % path, self.connects)
            return errno.ECONNREFUSED
        if family == socket.AF_INET:
            port, host = struct.unpack_from("!H", data, 2)[0], socket.inet_ntop(family, data[4:8])
            local = host.startswith("127.") or host == "0.0.0.0"
        elif family == socket.AF_INET6 and len(data) >= 24:
            port, host = struct.unpack_from("!H", data, 2)[0], socket.inet_ntop(family, data[8:24])
            local = host in ("::1", "::") or host.startswith("::ffff:127.")
        else:
            return 0
        if local:
            return 0
        self.note("connect to %s, port %d" % (host, port), self.connects)
        return errno.ENETUNREACH

    def kill(self, pid, arguments):
        target = ctypes.c_int(arguments[0] & 0xFFFFFFFF).value
        if target in (0, -1) or not arguments[1]:
            return 0
        if abs(target) > 1 and abs(target) in self.numbers():
            return 0
        if _is_gone(target):
            return errno.ESRCH  # as without us: a child of its own that has ended, or none at all
        self.note("send a signal to process %d" % abs(target))
        return errno.EPERM

    def numbers(self):
        """Return the numbers of the program's own processes, as it sees them and as we do."""
        found = set()
        waiting = _below(os.getpid())
        while waiting:
            pid = waiting.pop()
            waiting += _below(pid)
            try:
                with open("/proc/%d/status" % pid) as handle:
                    for line in handle:
                        if line.startswith(("NSpid", "NSpgid")):
                            found.update(int(word) for word in line.split()[1:])
            except (OSError, ValueError):
                continue
        return found


def _is_gone(target):
    """Tell whether there is no such process, or group where it is negative, that a signal could do anything to."""
    try:
        os.kill(target, 0)
        with open("/proc/%d/stat" % abs(target)) as handle:
            # threads of the kernel hear no signal; in a space of its own a child that has ended may have had such a number
            return handle.read().rpartition(")")[2].split()[1] == "2"
    except ProcessLookupError:
        return True
    except (OSError, ValueError, IndexError):
        return False


if __name__ == "__main__":
    main()
