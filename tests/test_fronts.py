"""Quick trials of commands whose tools take long to start: the same words, status and output, from a helper that stays."""

from __future__ import annotations

import shutil
import time
from collections.abc import Callable, Iterator, Mapping
from contextlib import contextmanager
from pathlib import Path

import psutil
import pytest

from jamkey.observe.target import command_target
from jamkey.trials.fronts import _holding, fronts
from jamkey.trials.warm import Ran, Warm, warm

Project = Callable[[Mapping[str, str | bytes]], Path]
COMMAND = "javac -g -d 'built here' Gain.java && java -cp 'built here' Gain two words; exit $?"
SOURCE = """public class Gain {
    public static void main(String[] words) {
        System.out.println("gain " + words.length);
        System.err.println("no honey");
        System.exit(3);
    }
}
"""


@contextmanager
def begun(folder: Path, monkeypatch: pytest.MonkeyPatch, command: str = COMMAND) -> Iterator[Warm]:
    monkeypatch.chdir(folder)
    with warm(folder, command_target(["sh", "-c", command]), stdin=b"", unguarded=False, load=()) as runner:
        assert runner is not None
        assert runner.ready()
        yield runner


def ran(runner: Warm, text: str = SOURCE, limit: float = 10.0) -> Ran:
    answer = runner.run({"Gain.java": text.encode()}, limit)
    assert answer is not None
    return answer


def helpers() -> list[psutil.Process]:
    """Return the warm compilers of this very test process."""
    return [one for one in psutil.Process().children(recursive=True) if "Compiler.java" in " ".join(one.cmdline())]


@pytest.fixture
def folder(project: Project) -> Path:
    return project({"Gain.java": SOURCE})


def test_a_warm_compiler_says_what_the_compiler_says(folder: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    with begun(folder, monkeypatch) as runner:
        for _ in range(2):
            good = ran(runner)
            assert (good.status, good.stdout, good.stderr) == (3, "gain 2\n", "no honey\n")
        wrong = ran(runner, SOURCE.replace("words.length", "word.length"))
        assert (wrong.status, wrong.stdout) == (1, "")
        assert wrong.stderr.splitlines()[0] == "Gain.java:3: error: cannot find symbol"
        assert wrong.stderr.splitlines()[-1] == "1 error"
        raised = ran(runner, SOURCE.replace('"no honey"', "words[5]"))
        assert raised.status == 1
        assert raised.stderr.splitlines()[1:] == ["\tat Gain.main(Gain.java:4)"], "no frame of ours is in the trace"
        assert ran(runner).status == 3
    assert sorted(entry.name for entry in folder.iterdir()) == ["Gain.java"]
    assert not helpers(), "the helper ends with the trials"


@pytest.mark.long
def test_a_trial_that_is_broken_off_leaves_no_answer_behind(folder: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    with begun(folder, monkeypatch) as runner:
        assert runner.run({"Gain.java": SOURCE.replace("System.exit(3)", "for (int i = 0; i < 1; ) {}").encode()}, 6.0).limit  # type: ignore[union-attr]
        assert [ran(runner).status for _ in range(2)] == [3, 3]


def test_without_its_helper_the_tool_itself_is_called(folder: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    with begun(folder, monkeypatch) as runner:
        assert ran(runner).status == 3
        for helper in helpers():
            helper.kill()
            while helper.is_running() and helper.status() != psutil.STATUS_ZOMBIE:
                time.sleep(0.01)
        assert (ran(runner).status, helpers()) == (3, [])


def test_one_file_is_compiled_and_run(project: Project, monkeypatch: pytest.MonkeyPatch) -> None:
    text = "package apiary;\n\nimport java.util.*;\n\n" + SOURCE.replace("public class", "public final class")
    folder = project({"Gain.java": text + "class Other {}\n"})
    monkeypatch.chdir(folder)
    target = command_target(["java", "Gain.java", "two", "words here"])
    with warm(folder, target, stdin=b"", unguarded=False, load=()) as runner:
        assert runner is not None
        assert runner.ready()
        good = ran(runner, text)
        assert (good.status, good.stdout, good.stderr) == (3, "gain 2\n", "no honey\n")
        for helper in helpers():
            helper.kill()
        assert (ran(runner, text).status, helpers()) == (3, []), "also where the compiler has gone"
        wrong = ran(runner, text.replace("length", "size"))
        assert (wrong.status, wrong.stderr.splitlines()[-1]) == (1, "error: compilation failed")
    assert sorted(entry.name for entry in folder.iterdir()) == ["Gain.java"]


@pytest.mark.parametrize(
    ("command", "status"),
    [
        ("javac -J-Xmx200m Gain.java && java -XX:+UseParallelGC Gain", 3),
        ("mkdir -p below && cp Gain.java below && cd below && echo Gain.java > all && javac @all && java Gain", 3),
        ("javac --no-such-option Gain.java", 2),
    ],
    ids=["its own options", "another folder, words in a file", "a wrong option"],
)
def test_what_a_front_cannot_do_is_left_to_the_tool(
    folder: Path, monkeypatch: pytest.MonkeyPatch, command: str, status: int
) -> None:
    with begun(folder, monkeypatch, command) as runner:
        assert ran(runner).status == status


def test_a_command_without_slow_tools_has_no_front(tmp_path: Path) -> None:
    assert shutil.which("javac")
    for words in (["lua5.4", "gain.lua"], ["sh", "-c", "java Gain"], ["sh", "-c", "echo 'javac"[:8]], []):
        assert not fronts(words, tmp_path, tmp_path).folder
    assert not list(tmp_path.iterdir())
    assert fronts(["sh", "-c", "javac 'Gain.java && java Gain"], tmp_path, tmp_path).helper, (
        "also where the quotes do not close"
    )


@pytest.mark.parametrize(
    ("release", "told"),
    [
        ('IMPLEMENTOR="any"\nJAVA_VERSION="17.0.15"\n', True),
        ('JAVA_VERSION="21"\n', True),
        ('JAVA_VERSION="11.0.2"\n', False),
        ('JAVA_VERSION="25"\n', False),
        ("", False),
        (None, False),
    ],
)
def test_only_versions_that_know_the_word_are_told_it(release: str | None, told: bool, tmp_path: Path) -> None:
    (tmp_path / "bin").mkdir()
    (tmp_path / "bin" / "java").touch()
    if release is not None:
        (tmp_path / "release").write_text(release)
    assert bool(_holding(str(tmp_path / "bin" / "java"))) is told


ENDS = """public class Gain {
    static int calls = 0;
    public static void main(String[] words) throws Exception {
        calls++;
        System.out.println("call " + calls);
        Thread other = new Thread(() -> {
            try { Thread.sleep(60); } catch (InterruptedException e) { return; }
            System.out.println("later");
        });
        other.start();
        HOW
    }
}
"""


@pytest.mark.spread(2)
@pytest.mark.parametrize(
    ("how", "status", "out", "err"),
    [
        ("", 0, "call 1\nlater\n", ""),
        ("other.join(); System.exit(4);", 4, "call 1\nlater\n", ""),
        ("try { System.exit(5); } catch (Exception e) { System.out.println(1); }", 5, "call 1\n", ""),
        (
            'throw new IllegalStateException("no queen");',
            1,
            "call 1\nlater\n",
            'Exception in thread "main" java.lang.IllegalStateException: no queen\n\tat Gain.main(Gain.java:11)\n',
        ),
        (
            'other.join(); throw new IllegalStateException("no queen");',
            1,
            "call 1\nlater\n",
            'Exception in thread "main" java.lang.IllegalStateException: no queen\n\tat Gain.main(Gain.java:11)\n',
        ),
    ],
)
def test_programs_end_as_in_a_machine_of_their_own(
    how: str, status: int, out: str, err: str, project: Project, monkeypatch: pytest.MonkeyPatch
) -> None:
    folder = project({"Gain.java": ENDS.replace("HOW", how)})
    command = "javac -g -d built Gain.java && java -cp built Gain; exit $?"
    with begun(folder, monkeypatch, command) as runner:
        for _ in range(2):  # nothing of the one is left for the next
            found = runner.run({}, 20.0)
            assert found is not None
            assert (found.status, found.stdout, found.stderr) == (status, out, err)


def test_nothing_that_a_program_sets_is_left_for_the_next(project: Project, monkeypatch: pytest.MonkeyPatch) -> None:
    sets = (
        'System.out.printf("%.1f %s%n", 1.5, System.getProperty("hive"));\n        java.util.Locale.setDefault(java.util.Locale.GERMANY);\n'
        '        System.setProperty("hive", "oak");\n        System.out.printf("%.1f%n", 1.5);'
    )
    text = "public class Gain {\n    public static void main(String[] words) {\n        HOW\n    }\n}\n".replace("HOW", sets)
    with begun(project({"Gain.java": text}), monkeypatch, "javac -d built Gain.java && java -cp built Gain; exit $?") as runner:
        for _ in range(2):
            assert ran(runner, text).stdout == "1.5 null\n1,5\n"


def test_threads_that_are_left_behind_print_into_no_other_run(project: Project, monkeypatch: pytest.MonkeyPatch) -> None:
    text = ENDS.replace("HOW", "System.exit(0);").replace("sleep(60)", "sleep(300)")
    quiet = text.replace("later", "now").replace("sleep(300)", "sleep(0)").replace("System.exit(0)", "other.join()")
    with begun(project({"Gain.java": text}), monkeypatch, "javac -d built Gain.java && java -cp built Gain; exit $?") as runner:
        for _ in range(3):
            assert ran(runner, text, 20.0).stdout == "call 1\n"
            assert ran(runner, quiet, 20.0).stdout == "call 1\nnow\n"
