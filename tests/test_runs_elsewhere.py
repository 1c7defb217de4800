"""What can be checked here of running on Windows and macOS: no call that only POSIX has, no path of this system, files
in UTF-8, names that every file system takes. Types are checked for Windows by `make check-types`."""

from __future__ import annotations

import ast
import re
import sys
from pathlib import Path

import even_static
from even_static.cli_files import data_folder
from even_static.instruments.system import commands

PACKAGE = Path(even_static.__file__).parent
FILES = sorted(p for p in PACKAGE.rglob("*.py"))
# Modules and functions that Python's documentation lists under "Availability: Unix".
UNIX_MODULES = {"fcntl", "grp", "posix", "pty", "pwd", "resource", "syslog", "termios", "tty"}
UNIX_CALLS = {
    *(
        "os.chown",
        "os.fork",
        "os.forkpty",
        "os.getegid",
        "os.geteuid",
        "os.getgid",
        "os.getpgid",
        "os.getuid",
        "os.kill",
    ),
    *("os.killpg", "os.mkfifo", "os.nice", "os.setsid", "os.setuid", "os.statvfs", "os.sync", "os.uname", "os.wait"),
    *("signal.alarm", "signal.pause", "signal.setitimer", "signal.SIGKILL", "signal.SIGHUP", "signal.SIGUSR1"),
    *("socket.AF_UNIX", "time.tzset"),
}
RESERVED = {"con", "prn", "aux", "nul", *(f"com{n}" for n in range(1, 10)), *(f"lpt{n}" for n in range(1, 10))}


def _behind_a_check(tree, node):
    """Whether a function has left Windows behind before a line."""
    for function in ast.walk(tree):
        if isinstance(function, ast.FunctionDef) and function.lineno <= node.lineno <= (function.end_lineno or 0):
            checks = [n for n in ast.walk(function) if isinstance(n, ast.If) and "win32" in ast.unparse(n.test)]
            return any(c.lineno < node.lineno for c in checks)
    return False


def test_nothing_is_called_that_only_unix_has():
    found = []
    for path in FILES:
        tree = ast.parse(path.read_text(encoding="utf-8"))
        for node in ast.walk(tree):
            names = []
            if isinstance(node, ast.Import):
                names = [a.name for a in node.names if a.name in UNIX_MODULES]
            elif isinstance(node, ast.ImportFrom) and node.module in UNIX_MODULES:
                names = [node.module]
            elif isinstance(node, ast.Attribute) and ast.unparse(node) in UNIX_CALLS:
                names = [ast.unparse(node)]
            found += [
                (str(path.relative_to(PACKAGE)), node.lineno, n) for n in names if not _behind_a_check(tree, node)
            ]
    assert found == []


def test_no_path_of_one_system_stands_in_the_code():
    there = re.compile(r"^(/(tmp|etc|var|usr|home|proc|sys|dev)/|~/|[A-Za-z]:\\)")
    found = [
        (str(path.relative_to(PACKAGE)), node.lineno, node.value)
        for path in FILES
        for node in ast.walk(ast.parse(path.read_text(encoding="utf-8")))
        if isinstance(node, ast.Constant) and isinstance(node.value, str) and there.match(node.value)
    ]
    assert found == []


def test_file_names_are_taken_by_every_system():
    names = [p.relative_to(PACKAGE) for p in PACKAGE.rglob("*")]
    assert [n for n in names if any(part.lower().split(".")[0] in RESERVED for part in n.parts)] == []
    assert [n for n in names if re.search(r'[<>:"|?*\\]', str(n))] == []
    lower = [str(n).lower() for n in names]
    assert len(lower) == len(set(lower))


def test_the_data_folder_is_the_system_s_own(monkeypatch, tmp_path):
    monkeypatch.delenv("EVEN_STATIC_HOME", raising=False)
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path))
    if sys.platform == "linux":
        assert data_folder() == tmp_path / "even-static"
    monkeypatch.setenv("EVEN_STATIC_HOME", str(tmp_path / "mine"))
    assert data_folder() == tmp_path / "mine"


def test_what_a_tool_prints_is_read_in_the_writing_of_its_system():
    """Windows' tools print in the console's code page, everybody else's in UTF-8."""
    assert commands.text_of("Café 5".encode(), "linux") == "Café 5"
    assert commands.text_of("Café 5".encode(), "win32") == "Café 5"
    assert commands.text_of("Café 5".encode("cp850"), "win32", "cp850") == "Café 5"
    assert commands.text_of(b"Caf\xe9 5", "linux") == "Caf\ufffd 5"
