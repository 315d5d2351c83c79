"""The language server, driven by a real client over a pipe."""

from __future__ import annotations

import asyncio
import sys
from collections.abc import Awaitable, Callable, Mapping
from pathlib import Path

import pytest
from lsprotocol import types as lsp
from pygls.lsp.client import LanguageClient

from tests.conftest import jamkey

Project = Callable[[Mapping[str, str | bytes]], Path]
WORDS = "weights = [31.2, 32.0]\nfor place in range(len(weights)):\n    print(weights[place])\nprint('🐝', totl)\n"


class Editor(LanguageClient):
    """A client that keeps the newest diagnostics of each buffer."""

    def __init__(self, folder: Path) -> None:
        super().__init__("editor", "1")
        self.folder = folder
        self.told: dict[str, list[lsp.Diagnostic]] = {}
        self.news = asyncio.Condition()

        @self.feature(lsp.TEXT_DOCUMENT_PUBLISH_DIAGNOSTICS)
        async def told(params: lsp.PublishDiagnosticsParams) -> None:
            async with self.news:
                self.told[params.uri] = list(params.diagnostics)
                self.news.notify_all()

    def uri(self, name: str) -> str:
        return (self.folder / name).resolve().as_uri()

    async def open(self, name: str, text: str) -> None:
        item = lsp.TextDocumentItem(self.uri(name), "python", 1, text)
        self.text_document_did_open(lsp.DidOpenTextDocumentParams(item))

    def change(self, name: str, text: str, version: int) -> None:
        document = lsp.VersionedTextDocumentIdentifier(version, self.uri(name))
        self.text_document_did_change(
            lsp.DidChangeTextDocumentParams(document, [lsp.TextDocumentContentChangeWholeDocument(text)])
        )

    async def until(self, name: str, fits: Callable[[list[lsp.Diagnostic]], bool]) -> list[lsp.Diagnostic]:
        async with self.news:
            await asyncio.wait_for(
                self.news.wait_for(lambda: self.uri(name) in self.told and fits(self.told[self.uri(name)])), 30
            )
            return self.told[self.uri(name)]

    async def actions(self, name: str, shown: lsp.Diagnostic) -> list[lsp.CodeAction]:
        params = lsp.CodeActionParams(lsp.TextDocumentIdentifier(self.uri(name)), shown.range, lsp.CodeActionContext([shown]))
        found = await self.text_document_code_action_async(params)
        return [action for action in found or () if isinstance(action, lsp.CodeAction)]


def session(
    folder: Path, work: Callable[[Editor], Awaitable[None]], encoding: lsp.PositionEncodingKind = lsp.PositionEncodingKind.Utf16
) -> None:
    """Run a session from start to shutdown; the server must end by itself, with status 0."""

    async def whole() -> None:
        editor = Editor(folder)
        await editor.start_io(sys.executable, "-m", "jamkey", "speak", "lsp")
        capabilities = lsp.ClientCapabilities(general=lsp.GeneralClientCapabilities(position_encodings=[encoding]))
        answer = await editor.initialize_async(lsp.InitializeParams(capabilities=capabilities, root_uri=folder.as_uri()))
        assert answer.capabilities.hover_provider and answer.capabilities.code_action_provider
        editor.initialized(lsp.InitializedParams())
        await work(editor)
        await editor.shutdown_async(None)
        editor.exit(None)
        server = editor._server
        assert server is not None
        assert await asyncio.wait_for(server.wait(), 20) == 0
        await editor.stop()

    asyncio.run(whole())


def applied(text: str, edits: list[lsp.TextEdit]) -> str:
    """Apply edits as an editor does, counting in UTF-16."""
    rows = [row.encode("utf-16-le") for row in text.split("\n")]
    for edit in sorted(edits, key=lambda one: (one.range.start.line, one.range.start.character), reverse=True):
        start, end = edit.range.start, edit.range.end
        head, tail = rows[start.line][: 2 * start.character], rows[end.line][2 * end.character :]
        rows[start.line : end.line + 1] = (
            (head.decode("utf-16-le") + edit.new_text + tail.decode("utf-16-le"))
            .encode("utf-16-le")
            .split("\n".encode("utf-16-le"))
        )
    return "\n".join(row.decode("utf-16-le") for row in rows)


def test_findings_follow_what_is_typed(project: Project) -> None:
    folder = project({"frost.py": "print('saved')\n"})

    async def work(editor: Editor) -> None:
        await editor.open("frost.py", "print('saved')\n")
        assert await editor.until("frost.py", lambda found: not found) == []
        editor.change("frost.py", "degrees = [3, -1]\ndef coldest(degrees)\n    return min(degrees)\n", 2)
        (found,) = await editor.until("frost.py", lambda found: len(found) == 1)
        assert (found.severity, found.source, found.range.start.line) == (lsp.DiagnosticSeverity.Error, "jamkey", 1)
        (action, *_) = await editor.actions("frost.py", found)
        assert action.edit is not None and action.edit.changes is not None
        text = applied(
            "degrees = [3, -1]\ndef coldest(degrees)\n    return min(degrees)\n",
            list(action.edit.changes[editor.uri("frost.py")]),
        )
        assert text == "degrees = [3, -1]\ndef coldest(degrees):\n    return min(degrees)\n"
        editor.change("frost.py", text, 3)
        await editor.until("frost.py", lambda found: not found)

    session(folder, work)


@pytest.mark.parametrize(("encoding", "column"), [(lsp.PositionEncodingKind.Utf16, 12), (lsp.PositionEncodingKind.Utf32, 11)])
def test_the_last_run_is_told_with_its_keys(project: Project, encoding: lsp.PositionEncodingKind, column: int) -> None:
    text = WORDS.replace("weights = ", "total = 0\nweights = ")
    folder = project({"gain.py": text})

    async def work(editor: Editor) -> None:
        await editor.open("gain.py", text)
        await editor.until("gain.py", lambda found: True)
        assert jamkey("run", "gain.py", cwd=folder).status == 1  # while the editor is open
        found = await editor.until("gain.py", lambda found: any("NameError" in one.message for one in found))
        shown = next(one for one in found if "NameError" in one.message)
        assert (shown.range.start.line, shown.range.start.character) == (4, column)
        assert shown.severity == lsp.DiagnosticSeverity.Error
        actions = await editor.actions("gain.py", shown)
        action = next(action for action in actions if "total" in action.title)
        assert action.edit is not None and action.edit.changes is not None
        if encoding == lsp.PositionEncodingKind.Utf16:
            assert "print('🐝', total)" in applied(text, list(action.edit.changes[editor.uri("gain.py")]))
        params = lsp.HoverParams(lsp.TextDocumentIdentifier(editor.uri("gain.py")), shown.range.start)
        hover = await editor.text_document_hover_async(params)
        assert hover is not None and isinstance(hover.contents, lsp.MarkupContent)
        assert "**unknown-name**" in hover.contents.value and "Next time" in hover.contents.value
        editor.change("gain.py", "# changed\n" + text, 2)  # what failed is not there any more
        await editor.until("gain.py", lambda found: not any("NameError:" in one.message for one in found))
        assert not [
            action
            for action in await editor.actions("gain.py", shown)
            if "Write" in action.title and action.diagnostics == [shown]
        ]

    session(folder, work, encoding)


def test_the_root_in_another_file_is_told_there(project: Project) -> None:
    files = {
        "scale.py": "def read():\n    found = {'north': [31.2],\n             'oak': None}\n    return found\n",
        "gain.py": "from scale import read\n\nfor hive, kilos in read().items():\n    print(hive, kilos[0])\n",
    }
    folder = project(files)
    assert jamkey("run", "gain.py", cwd=folder).status == 1

    async def work(editor: Editor) -> None:
        for name, text in files.items():
            await editor.open(name, text)
        snag = await editor.until("gain.py", lambda found: bool(found))
        assert snag[0].related_information is not None
        assert snag[0].related_information[0].location.uri == editor.uri("scale.py")
        root = await editor.until("scale.py", lambda found: bool(found))
        assert root[0].message.startswith("root of TypeError") and root[0].range.start.line == 2

    session(folder, work)
