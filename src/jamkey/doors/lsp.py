"""The language server: findings of `check` on unsaved buffers, the last failure at its lines, keys as code actions."""

from __future__ import annotations

import asyncio
import os
from pathlib import Path
from typing import Any

import msgspec
from lsprotocol import types as lsp
from pygls.lsp.server import LanguageServer
from pygls.uris import from_fs_path, to_fs_path
from pygls.workspace import TextDocument

import jamkey
from jamkey.checks.engine import check_text
from jamkey.errors import JamkeyError
from jamkey.folders import state_folder
from jamkey.journal.kept import Kept
from jamkey.kinds import SHELF as KINDS
from jamkey.model import Edit, Finding, Jam
from jamkey.runs.journaled import last_reading, same_text
from jamkey.settings import Settings, load
from jamkey.text import line_at
from jamkey.views.outline import OUTCOMES

#: Seconds of quiet in a buffer before it is checked, and between two looks at the journal.
_QUIET, _LOOK = 0.3, 1.0
_SOURCE = "jamkey"


class Told(msgspec.Struct, frozen=True):
    """One diagnostic of ours, with what stands behind it."""

    shown: lsp.Diagnostic
    finding: Finding | None = None
    jam: Jam | None = None


class Server(LanguageServer):
    """What the server holds: what it told about each buffer, and the last reading."""

    def __init__(self) -> None:
        super().__init__("jamkey", jamkey.__version__, text_document_sync_kind=lsp.TextDocumentSyncKind.Incremental)
        self.told: dict[str, list[Told]] = {}
        self.kept: Kept | None = None
        self._waiting: dict[str, asyncio.Task[None]] = {}
        self._seen: tuple[float, ...] = ()
        self.watching: asyncio.Task[None] | None = None

    # --- what is told

    def soon(self, uri: str) -> None:
        """Look at a buffer when it has been left alone for a moment."""
        task = self._waiting.pop(uri, None)
        if task is not None:
            task.cancel()
        self._waiting[uri] = asyncio.get_running_loop().create_task(self._later(uri))

    async def _later(self, uri: str) -> None:
        await asyncio.sleep(_QUIET)
        await self.look_at(uri)

    async def look_at(self, uri: str) -> None:
        """Check a buffer and publish what is to be told about it."""
        document = self.workspace.get_text_document(uri)
        text, version = document.source, document.version
        path = to_fs_path(uri)
        if path is None:
            return
        findings = await asyncio.to_thread(_findings, text, path)
        if self.workspace.get_text_document(uri).version != version:
            return  # it has changed meanwhile, and is looked at again
        told = [Told(self._diagnostic(document, finding), finding=finding) for finding in findings]
        told += self._of_the_last_run(document, path, text)
        self.told[uri] = told
        self.text_document_publish_diagnostics(
            lsp.PublishDiagnosticsParams(uri=uri, version=version, diagnostics=[one.shown for one in told])
        )

    def _diagnostic(self, document: TextDocument, finding: Finding) -> lsp.Diagnostic:
        error = finding.kind == "broken-syntax"
        return lsp.Diagnostic(
            range=span(document, finding.line, finding.column, finding.end_line, finding.end_column),
            message=finding.reason,
            source=_SOURCE,
            code=finding.rule,
            severity=lsp.DiagnosticSeverity.Error if error else lsp.DiagnosticSeverity.Warning,
        )

    def _of_the_last_run(self, document: TextDocument, path: str, text: str) -> list[Told]:
        """Return the last run's failures in a buffer that still is the text which failed."""
        kept = self.kept
        found: list[Told] = []
        for jam in kept.jams if kept is not None else ():
            frame = jam.snag_frame
            root = jam.roots[0] if jam.roots else None
            if frame is not None and frame.line is not None and self._is_this(frame.file, path, text):
                related = None
                if root is not None and kept is not None:
                    uri = _uri(kept, root.file)
                    place = lsp.Position(root.line - 1, max(root.column - 1, 0))
                    related = [
                        lsp.DiagnosticRelatedInformation(
                            lsp.Location(uri, lsp.Range(place, place)), root.reason or "the place to change"
                        )
                    ]
                shown = lsp.Diagnostic(
                    range=span(document, frame.line, frame.column or 1, frame.end_line, frame.end_column),
                    source=_SOURCE,
                    code=jam.kind,
                    message=f"{jam.headline}\n{jam.meaning}",
                    severity=lsp.DiagnosticSeverity.Error,
                    related_information=related,
                )
                found.append(Told(shown, jam=jam))
            at_snag = frame is not None and root is not None and (root.file, root.line) == (frame.file, frame.line)
            if root is not None and not at_snag and self._is_this(root.file, path, text):
                shown = lsp.Diagnostic(
                    range=span(document, root.line, root.column, None, None),
                    source=_SOURCE,
                    code=jam.kind,
                    message=f"root of {jam.headline}: {root.reason}",
                    severity=lsp.DiagnosticSeverity.Warning,
                )
                found.append(Told(shown, jam=jam))
        return found

    def _is_this(self, file: str, path: str, text: str) -> bool:
        kept = self.kept
        return (
            kept is not None
            and os.path.realpath(Path(kept.folder) / file) == os.path.realpath(path)
            and same_text(kept, file, text)
        )

    # --- the journal

    async def watch(self) -> None:
        """Follow the journal: a new reading is told in every open buffer."""
        while True:
            seen = _journal_state()
            if seen != self._seen:
                self._seen = seen
                try:
                    self.kept = await asyncio.to_thread(last_reading)
                except JamkeyError:
                    self.kept = None
                self._seen = _journal_state()
                for uri in list(self.workspace.text_documents):
                    await self.look_at(uri)
            await asyncio.sleep(_LOOK)

    # --- what is offered

    def actions(self, uri: str, asked: lsp.Range) -> list[lsp.CodeAction]:
        """Return the edits of findings and the keys of failures that touch a range."""
        found: list[lsp.CodeAction] = []
        for told in self.told.get(uri, ()):
            if not _touch(told.shown.range, asked):
                continue
            if told.finding is not None and told.finding.edits:
                edit = self._edit(told.finding.edits, {told.finding.file: uri})
                if edit is not None:
                    found.append(_action(told.finding.title or told.finding.reason, edit, told, preferred=True))
            for number, key in enumerate(told.jam.keys if told.jam is not None else ()):
                files = {one.file: _uri(self.kept, one.file) for one in key.edits if self.kept is not None}
                edit = (
                    self._edit(key.edits, files) if key.edits and self.kept is not None and self._all_the_same(files) else None
                )
                if edit is not None:
                    trial = f" ({OUTCOMES[key.trial.outcome]})" if key.trial.outcome in ("runs", "moved") else ""
                    found.append(_action(key.title + trial, edit, told, preferred=number == 0 and key.trial.outcome == "runs"))
        return found

    def _all_the_same(self, files: dict[str, str]) -> bool:
        """Tell whether all the files a key changes are still the ones that failed, unsaved changes included."""
        kept = self.kept
        return kept is not None and all(
            same_text(kept, file, self.workspace.get_text_document(uri).source) for file, uri in files.items()
        )

    def _edit(self, edits: tuple[Edit, ...], uris: dict[str, str]) -> lsp.WorkspaceEdit | None:
        changes: dict[str, list[lsp.TextEdit]] = {}
        for edit in edits:
            if edit.cell is not None or edit.file not in uris:
                return None
            document = self.workspace.get_text_document(uris[edit.file])
            place = span(document, edit.line, edit.column, edit.end_line, edit.end_column)
            changes.setdefault(uris[edit.file], []).append(lsp.TextEdit(place, edit.new_text))
        return lsp.WorkspaceEdit(changes=changes)

    def hover(self, uri: str, place: lsp.Position) -> lsp.Hover | None:
        """Return what the kind of a finding or failure at a place means."""
        point = lsp.Range(place, place)
        parts: list[str] = []
        for told in self.told.get(uri, ()):
            kind_name = told.finding.kind if told.finding is not None else told.jam.kind if told.jam is not None else None
            if not _touch(told.shown.range, point) or kind_name is None or kind_name not in KINDS:
                continue
            kind = KINDS.get(kind_name)
            text = f"**{kind.name}**: {kind.title}\n\n{kind.about}"
            if told.jam is not None and told.jam.look_at:
                text += f"\n\n{told.jam.look_at}"
            parts.append(text + f"\n\n*Next time:* {kind.avoid}")
        if not parts:
            return None
        return lsp.Hover(lsp.MarkupContent(lsp.MarkupKind.Markdown, "\n\n---\n\n".join(dict.fromkeys(parts))))


def _findings(text: str, path: str) -> list[Finding]:
    folder = Path(path).parent
    try:
        settings = load(folder)
    except JamkeyError:
        settings = Settings()
    try:
        return check_text(text, os.path.basename(path), folder=folder, settings=settings)
    except JamkeyError:
        return []


def _journal_state() -> tuple[float, ...]:
    found: list[float] = []
    for name in ("journal.sqlite", "spool"):
        try:
            found.append(os.stat(os.path.join(state_folder(), name)).st_mtime_ns)
        except OSError:
            found.append(0)
    return tuple(found)


def _uri(kept: Kept | None, file: str) -> str:
    return from_fs_path(str((Path(kept.folder if kept is not None else "") / file).resolve())) or ""


def span(document: TextDocument, line: int, column: int, end_line: int | None, end_column: int | None) -> lsp.Range:
    """Return a span of ours (1-based, in characters) as the client counts: 0-based, in the units it asked for."""
    start = lsp.Position(line - 1, max(column - 1, 0))
    if end_line is not None and end_column is not None:
        end = lsp.Position(end_line - 1, max(end_column - 1, 0))
    else:
        row = line_at(document.source, line)
        indent = len(row) - len(row.lstrip())
        start = lsp.Position(line - 1, max(column - 1, indent) if column == 1 else column - 1)
        end = lsp.Position(line - 1, max(len(row.rstrip()), start.character))
    return document.position_codec.range_to_client_units(document.lines, lsp.Range(start, end))


def _touch(one: lsp.Range, other: lsp.Range) -> bool:
    return (one.start.line, one.start.character) <= (other.end.line, other.end.character) and (
        other.start.line,
        other.start.character,
    ) <= (one.end.line, one.end.character)


def _action(title: str, edit: lsp.WorkspaceEdit, told: Told, *, preferred: bool) -> lsp.CodeAction:
    return lsp.CodeAction(
        title=title, kind=lsp.CodeActionKind.QuickFix, diagnostics=[told.shown], edit=edit, is_preferred=preferred
    )


def make() -> Server:
    """Return a server with its features."""
    server = Server()

    @server.feature(lsp.INITIALIZED)
    def initialized(params: Any) -> None:
        server.watching = asyncio.get_running_loop().create_task(server.watch())

    @server.feature(lsp.TEXT_DOCUMENT_DID_OPEN)
    async def opened(params: lsp.DidOpenTextDocumentParams) -> None:
        await server.look_at(params.text_document.uri)

    @server.feature(lsp.TEXT_DOCUMENT_DID_CHANGE)
    def changed(params: lsp.DidChangeTextDocumentParams) -> None:
        server.soon(params.text_document.uri)

    @server.feature(lsp.TEXT_DOCUMENT_DID_SAVE)
    async def saved(params: lsp.DidSaveTextDocumentParams) -> None:
        await server.look_at(params.text_document.uri)

    @server.feature(lsp.TEXT_DOCUMENT_DID_CLOSE)
    def closed(params: lsp.DidCloseTextDocumentParams) -> None:
        uri = params.text_document.uri
        server.told.pop(uri, None)
        server.text_document_publish_diagnostics(lsp.PublishDiagnosticsParams(uri=uri, diagnostics=[]))

    @server.feature(lsp.TEXT_DOCUMENT_CODE_ACTION, lsp.CodeActionOptions(code_action_kinds=[lsp.CodeActionKind.QuickFix]))
    def actions(params: lsp.CodeActionParams) -> list[lsp.CodeAction]:
        return server.actions(params.text_document.uri, params.range)

    @server.feature(lsp.TEXT_DOCUMENT_HOVER)
    def hover(params: lsp.HoverParams) -> lsp.Hover | None:
        return server.hover(params.text_document.uri, params.position)

    return server


def serve() -> None:
    """Serve on standard input and output until the client says to exit."""
    make().start_io()
