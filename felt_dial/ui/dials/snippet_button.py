"""The snippet button: settings of a module are kept by name, and given to it."""

from __future__ import annotations

from PySide6.QtCore import QRect
from PySide6.QtWidgets import QHBoxLayout, QMenu, QWidget

from felt_dial.bank.library.snippets import Chain, Snippet, Snippets, apply, settings_of
from felt_dial.errors import FeltDialError
from felt_dial.patch.edits import replace_module
from felt_dial.patch.module import Module
from felt_dial.session.session import Session
from felt_dial.session.topics import Selected
from felt_dial.ui.dials.controls import Pill
from felt_dial.ui.dials.entry import Entry
from felt_dial.ui.theme.words import item


class SnippetPill(QWidget):
    """One button with a menu: those that fit, keep these settings, begin with them."""

    def __init__(self, session: Session, path: str) -> None:
        super().__init__()
        self.session, self.path = session, path
        self.entry: Entry | None = None
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        self.pill = Pill("Snippets…", "small", self._open, "Saved settings for this module: take one, or keep these")
        layout.addWidget(self.pill)

    def turn_to(self, path: str, owner_dye: str) -> None:
        """Is about another module."""
        self.path = path

    @property
    def module(self) -> Module:
        """The module as it is."""
        node: object = self.session.patch
        for step in self.path.split("."):
            node = node[step] if isinstance(node, dict) else getattr(node, step)
        assert isinstance(node, Module)
        return node

    @property
    def kept(self) -> Snippets:
        """The snippets of the library that is open."""
        return Snippets(self.session.shelf.library.root)

    def menu(self) -> QMenu:
        """What can be done here."""
        menu = QMenu(self)
        module, kept = self.module, self.kept
        for snippet in kept.fitting(module):
            menu.addAction(item(snippet.name), lambda s=snippet: self.take(s))
        menu.addSeparator()
        menu.addAction("Keep these settings…", self.ask_name)
        menu.addAction("Reset this module", self.reset)
        first = menu.addMenu("New ones begin with")
        first.addAction("what they come with", lambda: self.begin_with(None))
        for snippet in kept.fitting(module):
            first.addAction(item(snippet.name), lambda s=snippet: self.begin_with(s))
        own = [s for s in kept.fitting(module) if not s.shipped]
        if own:
            away = menu.addMenu("Throw away")
            for snippet in own:
                away.addAction(item(snippet.name), lambda s=snippet: throw_away(self.session, kept, s))
        if kept.problems:
            self.session.say(kept.problems[0], problem=True)
        return menu

    def _open(self) -> None:
        self.menu().exec(self.mapToGlobal(self.rect().bottomLeft()))

    def take(self, snippet: Snippet) -> None:
        """Gives the module the settings of a snippet."""
        fresh = apply(self.module, snippet)
        self.session.editor.edit(replace_module(self.session.patch, self.path, fresh), f"take {snippet.name}")
        self.session.channel.tell(Selected())

    def reset(self) -> None:
        """Every setting as new ones of this kind begin; whether it is on stays."""
        module = self.module
        fresh = settings_of(self.kept.fresh(type(module)()))
        fresh = {name: value for name, value in fresh.items() if name != "on"}
        patch = replace_module(self.session.patch, self.path, module.model_copy(update=fresh))
        self.session.editor.edit(patch, f"reset {module.title.lower()}")
        self.session.channel.tell(Selected())

    def ask_name(self) -> None:
        """Opens the line in which the snippet is named."""
        self.entry = Entry(self, QRect(0, 0, 150, 20), "", self.keep, "Name of the snippet")
        self.entry.setPlaceholderText("a name")

    def keep(self, name: str) -> None:
        """Keeps the module's settings under a name."""
        made = self.kept.save(name, self.module)
        self.session.say(f"Kept {made.name} as a snippet.")

    def begin_with(self, snippet: Snippet | None) -> None:
        try:
            self.kept.set_default(self.module, snippet)
        except FeltDialError as wrong:
            self.session.say(str(wrong), problem=True)
            return
        how = snippet.name if snippet else "what they come with"
        self.session.say(f"New ones of this kind begin with {how}.")


def throw_away(session: Session, kept: Snippets, one: Snippet | Chain) -> None:
    """Throws a snippet or a chain of the person's own away, and says so, or why it stays."""
    try:
        kept.remove(one)
    except FeltDialError as wrong:
        session.say(str(wrong), problem=True)
        return
    session.say(f"Threw the {'chain' if isinstance(one, Chain) else 'snippet'} {one.name} away.")
