"""The window: header, pages, strip, keys, and the line that says what happened."""

from __future__ import annotations

from collections.abc import Callable
from functools import cached_property, partial
from pathlib import Path
from typing import cast

from PySide6.QtCore import QByteArray, QPoint, Qt, QTimer
from PySide6.QtGui import QCloseEvent, QDragEnterEvent, QDragMoveEvent, QDropEvent, QKeyEvent, QResizeEvent
from PySide6.QtWidgets import QApplication, QMainWindow, QMenu, QStackedWidget, QVBoxLayout, QWidget

from felt_dial.session import topics
from felt_dial.session.channel import EVERYTHING
from felt_dial.session.copying import (
    copy_layer,
    copy_modulator,
    duplicate,
    duplicate_modulator,
    paste_layer,
    paste_modulator,
    remove_layers,
    remove_mover,
)
from felt_dial.session.session import Session
from felt_dial.session.topics import Asked, BenchAsked, CompareAsked, DrawerAsked, Rebuilding, Rebuilt, Working
from felt_dial.ui.dials.focus import give_next, in_turn
from felt_dial.ui.dials.param_control import ParamControl
from felt_dial.ui.dials.under_hand import give_focus
from felt_dial.ui.drawer.panel import Drawer
from felt_dial.ui.frame.analyser import Analyser
from felt_dial.ui.frame.commands import Command, bind, menu_of
from felt_dial.ui.frame.compare import CompareSheet
from felt_dial.ui.frame.controller_window import ControllerWindow
from felt_dial.ui.frame.crash_recovery import CrashRecovery
from felt_dial.ui.frame.drop_target import DropTarget
from felt_dial.ui.frame.guide import AboutSheet, GuideSheet
from felt_dial.ui.frame.header import Header
from felt_dial.ui.frame.letter_keys import LetterKeys
from felt_dial.ui.frame.library_place import LibraryPlace
from felt_dial.ui.frame.phrase_sheet import PhraseSheet
from felt_dial.ui.frame.said import Said
from felt_dial.ui.frame.settings import SettingsSheet
from felt_dial.ui.frame.sheets import KeySheet
from felt_dial.ui.frame.strip import Strip
from felt_dial.ui.pages.effects.page import EffectsPage
from felt_dial.ui.pages.page import Page, all_pages
from felt_dial.ui.pages.patch.page import PatchPage
from felt_dial.ui.pages.shelf.page import ShelfPage
from felt_dial.ui.pages.threads.page import ThreadsPage
from felt_dial.ui.pages.workshop.page import WorkshopPage
from felt_dial.ui.theme.colours import cloth

WISHED, SMALLEST, TALL_ENOUGH = (1280, 800), (1240, 640), 760
"""The size of the window at the first start, the least, and the height from which the keyboard shows by itself."""

PAGES = {page.title: page for page in all_pages()}
"""Every page by its title, in the order of the tabs."""


def take_as_copy(event: QDropEvent) -> None:
    """Accepts a drag of files as copies: whoever offers to move them would delete the person's own."""
    event.setDropAction(Qt.DropAction.CopyAction)
    event.accept()


class Window(QMainWindow):
    """The one window."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self._focused = ""
        self._answered = False
        self.controller: ControllerWindow | None = None
        self.setWindowTitle("Felt Dial")
        self.setMinimumSize(*SMALLEST)
        centre = QWidget()
        layout = QVBoxLayout(centre)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        self.header = Header(session, list(PAGES))
        self.stack = QStackedWidget()
        self.stack.setFocusPolicy(Qt.FocusPolicy.ClickFocus)
        for _ in PAGES:
            self.stack.addWidget(QWidget())
        self._pages: dict[str, Page] = {}
        self.page(PatchPage.title)
        self.strip = Strip(session)
        layout.addWidget(self.header)
        layout.addWidget(self.stack, 1)
        self.analyser = Analyser(session, self._place_analyser)
        self.analyser.hide()
        layout.addWidget(self.analyser)
        self.said = Said()
        layout.addWidget(self.said)
        layout.addWidget(self.strip)
        self._body = layout
        self.setCentralWidget(centre)
        self.left = CrashRecovery(self, session, self.said)
        self.drop_target = DropTarget(self, self)
        self.setAcceptDrops(True)
        self.header.page_asked.connect(self.show_page)
        self.header.analyser_asked.connect(self.toggle_analyser)
        self.header.menu_asked.connect(self.show_menu)
        self.strip.phrase_asked.connect(lambda: self.phrase_sheet.open())
        self.strip.settings_asked.connect(lambda: self.settings_sheet.open())
        self.strip.pattern_asked.connect(self.show_pattern)
        for macro in self.strip.macros:
            macro.tag.chosen.connect(self.show_macro)
        self.strip.fold_asked.connect(self.fold_keyboard)
        session.channel.hear(topics.Said, lambda said: self.said.say(said.text, said.problem))
        session.channel.hear(Asked, lambda asked: self.said.say(asked.text, asked.problem, asked.answers))
        session.channel.hear(Working, lambda working: self._tell_work(working.text))
        session.channel.hear(DrawerAsked, lambda asked: self.open_drawer(*asked))
        session.channel.hear(CompareAsked, lambda asked: self.compare_sheet.compare(*asked))
        session.channel.hear(BenchAsked, lambda asked: self.show_bench(asked.layer))
        session.channel.watch(self._note_focus, Rebuilding)
        session.channel.watch(self._give_focus_back, Rebuilt)
        session.channel.watch(self._title, EVERYTHING)
        cloth.changed.connect(self._wear)
        bind(self.commands(), self)
        self._timer = QTimer(self, interval=33)
        self._timer.timeout.connect(session.tick)
        self._timer.start()
        self._later = QTimer(self, interval=250)
        self._later.timeout.connect(self.build_pages)
        self._later.start()
        self.keys = LetterKeys(self, session, self.strip)
        self.show_page(PatchPage.title)
        self._title()

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if self.drop_target.files(event.mimeData()):
            take_as_copy(event)

    def dragMoveEvent(self, event: QDragMoveEvent) -> None:
        if files := self.drop_target.files(event.mimeData()):
            self.drop_target.hint.point(self.drop_target.landing_of(files, event.position().toPoint()))
            take_as_copy(event)

    def dragLeaveEvent(self, event: object) -> None:
        self.drop_target.hint.hide()

    def dropEvent(self, event: QDropEvent) -> None:
        files, at = self.drop_target.files(event.mimeData()), event.position().toPoint()
        take_as_copy(event)
        QTimer.singleShot(0, self, lambda: self.drop_target.take(files, at))

    def _wear(self) -> None:
        """Another theme: everything that was dyed is laid out anew."""
        self.session.channel.tell(Rebuilt())

    def _tell_work(self, text: str) -> None:
        """How far something is that everything waits for; nothing once it is done."""
        if text:
            self.said.say(text, False, stays=True)
        else:
            self.said.put_away()

    def _title(self) -> None:
        title = f"{self.session.patch.name}{' •' if self.session.editor.unsaved else ''} — Felt Dial"
        if title != self.windowTitle():
            self.setWindowTitle(title)

    def _note_focus(self) -> None:
        focus = self.focusWidget()
        self._focused = focus.path if isinstance(focus, ParamControl) else ""

    def _give_focus_back(self) -> None:
        """Widgets are laid out anew; the hand stays on the dial it was on."""
        if self._focused:
            give_focus(self.stack.currentWidget(), self._focused)

    @cached_property
    def settings_sheet(self) -> SettingsSheet:
        """The settings, laid out when they are first asked for."""
        made = SettingsSheet(self.stack, self.session)
        made.controller_asked.connect(self.show_controller)
        made.keyboard_chosen.connect(self._fold_keyboard)
        return made

    @cached_property
    def library_place(self) -> LibraryPlace:
        """What is asked where the library is not there."""
        return LibraryPlace(self, self.session)

    @cached_property
    def key_sheet(self) -> KeySheet:
        """Every key there is."""
        return KeySheet(self.stack)

    @cached_property
    def guide_sheet(self) -> GuideSheet:
        """The guide, laid out when it is first asked for."""
        return GuideSheet(self.stack)

    @cached_property
    def phrase_sheet(self) -> PhraseSheet:
        """The phrases, made when they are first asked for."""
        return PhraseSheet(self.stack, self.session)

    @cached_property
    def compare_sheet(self) -> CompareSheet:
        """What is different between two sounds."""
        return CompareSheet(self.stack, self.session)

    def compare_sides(self) -> None:
        """What is different between A and B."""
        work = self.session.editor.work
        self.compare_sheet.compare(work.a, work.b, ("A", "B"))

    @cached_property
    def about_sheet(self) -> AboutSheet:
        """What the program says of itself."""
        return AboutSheet(self.stack, self.session)

    def commands(self) -> list[Command]:
        """Everything that can be told to the window from anywhere, as the menu lists it."""
        session, history = self.session, self.session.editor.history
        return [
            Command("New", ("Ctrl+N",), self.new),
            Command("Open…", ("Ctrl+F",), self.search),
            Command(
                "Save", ("Ctrl+S",), self.header.preset.save_it, about=lambda: "" if session.editor.unsaved else None
            ),
            Command("Save as new…", ("Ctrl+Shift+S",), self.save_as_new),
            Command("Save as new, named for me", ("Ctrl+Shift+N",), session.presets.quick_keep),
            Command("Import a bank…", (), self.ask_import, 1),
            Command("Export", (), self.ask_export, 1, self._exported),
            Command("Undo", ("Ctrl+Z",), session.editor.undo, 2, lambda: history.undo_says or None),
            Command("Redo", ("Ctrl+Shift+Z", "Ctrl+Y"), session.editor.redo, 2, lambda: history.redo_says or None),
            Command("Analyser", ("Ctrl+M",), self.toggle_analyser, 3),
            Command("Keyboard", ("Ctrl+K",), self.fold_keyboard, 3),
            Command("Compare A and B", (), self.compare_sides, 3),
            Command("Drawer", ("Ctrl+O",), self.toggle_drawer, 3),
            Command("Phrase…", ("Ctrl+P",), lambda: self.phrase_sheet.open(), 3),
            Command("Silence everything", ("Ctrl+.",), self.silence, 3),
            Command("Settings…", ("Ctrl+,",), lambda: self.settings_sheet.open(), 4),
            Command("Keys", ("F1",), lambda: self.key_sheet.open(), 4),
            Command("Guide", (), lambda: self.guide_sheet.open(), 4),
            Command("About", (), lambda: self.about_sheet.open(), 4),
            Command("Quit", ("Ctrl+Q",), self.close, 5),
            Command("", ("F10",), self.show_menu),
            Command("", ("Ctrl+D",), self.duplicate),
            Command("", ("Ctrl+C",), self.copy),
            Command("", ("Ctrl+V",), self.paste),
            Command("", ("Ctrl+Shift+E",), lambda: self.effects.toggle_dry()),
            Command("", ("Ctrl+Shift+A",), session.editor.copy_side),
            Command("", ("Ctrl+Shift+F",), self.star),
            Command("", ("F6",), self.next_section),
            Command("", ("Shift+F6",), lambda: self.next_section(-1)),
            Command("", ("Ctrl+T",), self.sew),
            Command("", ("Alt+M",), lambda: self._toggle("mute")),
            Command("", ("Alt+S",), lambda: self._toggle("solo")),
            Command("", ("`",), session.editor.flip),
            Command("", ("Ctrl+Left",), lambda: self.header.preset.step_on(-1)),
            Command("", ("Ctrl+Right",), lambda: self.header.preset.step_on(1)),
            Command("", ("Ctrl+Shift+L",), lambda: self.patch_page.add_layer()),
            *(Command("", (f"Ctrl+{n}",), partial(self.show_page, title)) for n, title in enumerate(PAGES, 1)),
        ]

    def show_menu(self) -> QMenu:
        """The menu of the application, under the word mark."""
        menu = menu_of(self.commands(), self)
        mark = self.header.mark
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        menu.popup(mark.mapToGlobal(QPoint(4, mark.height() - 4)))
        return menu

    def import_banks(self, paths: list[Path]) -> None:
        """Takes in bank files, and shows the last of them on the Shelf."""
        self.show_page(ShelfPage.title)
        self.shelf.import_files(paths)

    def ask_import(self) -> None:
        """Asks for a bank file, and shows what is read on the Shelf."""
        self.show_page(ShelfPage.title)
        self.shelf.ask_import()

    def _bank_at_hand(self) -> str:
        """The bank that is shown on the Shelf, or else that of the preset on the table."""
        session = self.session
        return (
            session.editor.work.bank
            if self.shown != ShelfPage.title and session.editor.work.bank
            else session.shelf.shown
        )

    def _exported(self) -> str | None:
        name = self.session.shelf.bank_name(self._bank_at_hand())
        return f"{name}…" if name else None

    def ask_export(self) -> None:
        """Asks where to put the bank at hand as one file."""
        bank = self._bank_at_hand()
        self.show_page(ShelfPage.title)
        self.shelf.ask_export(bank)

    def page(self, title: str) -> Page:
        """A page, built when it is first asked for: the window stands sooner without the others."""
        if title not in self._pages:
            number = list(PAGES).index(title)
            made = self._pages[title] = PAGES[title](self.session)
            placeholder = self.stack.widget(number)
            assert placeholder is not None
            self.stack.insertWidget(number, made)
            self.stack.removeWidget(placeholder)
            placeholder.deleteLater()
            made.page_asked.connect(self.show_page)
        return self._pages[title]

    @property
    def patch_page(self) -> PatchPage:
        """Layers and modulators."""
        return cast(PatchPage, self.page(PatchPage.title))

    @property
    def shelf(self) -> ShelfPage:
        """Banks and presets."""
        return cast(ShelfPage, self.page(ShelfPage.title))

    @property
    def effects(self) -> EffectsPage:
        """The racks."""
        return cast(EffectsPage, self.page(EffectsPage.title))

    @property
    def threads(self) -> ThreadsPage:
        """Everything that moves something."""
        return cast(ThreadsPage, self.page(ThreadsPage.title))

    @property
    def workshop(self) -> WorkshopPage:
        """Both benches."""
        return cast(WorkshopPage, self.page(WorkshopPage.title))

    @cached_property
    def drawer(self) -> Drawer:
        """The drawer, made when it is first asked for."""
        made = Drawer(self.session, self.patch_page.inspector.importing)
        made.closed.connect(self._put_drawer_away)
        return made

    def open_drawer(self, layer: str = "", kind: str = "") -> None:
        """Shows the drawer beside the Patch page or the Workshop, for a layer or for a new one."""
        page = self._pages[self.shown]
        drawer = self.drawer
        self._put_drawer_away()
        if not page.show_drawer(drawer):
            self.show_page(PatchPage.title)
            self.patch_page.show_drawer(drawer)
        drawer.open_for(layer, kind)

    def _put_drawer_away(self) -> None:
        for page in self._pages.values():
            page.hide_drawer()

    def toggle_drawer(self) -> None:
        """Shows the drawer for the chosen layer, or puts it away."""
        if "drawer" in self.__dict__ and self.drawer.isVisible():
            self.drawer.close_it()
            return
        if self.shown == WorkshopPage.title:
            self.workshop.ask_drawer()
            return
        layer = self.session.editor.selection[1]
        plays = (
            layer in self.session.patch.layers and "asset" in type(self.session.patch.layers[layer].source).model_fields
        )
        self.open_drawer(layer if plays else "")

    def show_bench(self, layer: str) -> None:
        """Puts what a layer plays on its bench."""
        self.show_page(WorkshopPage.title)
        self.workshop.show_layer(layer)

    @property
    def shown(self) -> str:
        """The title of the page that is open."""
        return list(PAGES)[self.stack.currentIndex()]

    def build_pages(self) -> None:
        """Builds the pages that nobody has asked for yet, one at a time."""
        left = [title for title in PAGES if title not in self._pages]
        if left:
            self.page(left[0])
        else:
            self._later.stop()

    def show_page(self, title: str) -> None:
        """Opens a page."""
        page = self.page(title)
        self.stack.setCurrentWidget(page)
        self.header.show_page(title)
        for other in self._pages.values():
            other.opened(other is page)
        (page.first() or self.stack).setFocus()

    def toggle_analyser(self) -> None:
        """Shows the analyser, or puts it away; one that was closed while it floated is docked again."""
        if self.analyser.isHidden() and self.analyser.isWindow() != self.analyser.floats:
            self._place_analyser()
        else:
            self.analyser.setVisible(not self.analyser.isVisible())

    def fold_keyboard(self) -> None:
        """Puts the keyboard away, or brings it back; it stays so, and is so the next time."""
        folded = not self.strip.folded
        self.session.settings.keep(self.session.settings.now.model_copy(update={"keyboard": not folded}))
        self._fold_keyboard()

    def _fold_keyboard(self) -> None:
        """As the person wishes; without a wish, as there is room."""
        shown = self.session.settings.now.keyboard
        folded = self.height() < TALL_ENOUGH if shown is None else not shown
        if folded != self.strip.folded:
            self.strip.fold(folded)

    def _place_analyser(self) -> None:
        """In a window of its own, or docked above the strip."""
        analyser = self.analyser
        self._body.removeWidget(analyser)
        if analyser.floats:
            analyser.setParent(self, Qt.WindowType.Tool)
            analyser.setWindowTitle("Felt Dial: analyser")
        else:
            analyser.setParent(self.centralWidget())
            self._body.insertWidget(2, analyser)
        analyser.lay_out()
        analyser.show()

    def show_macro(self, key: str) -> None:
        """What a macro moves: in the table of threads where that is open, else in the inspector."""
        if self.shown == ThreadsPage.title:
            self.threads.search.setText(key.upper())
        else:
            self.show_page(PatchPage.title)

    def show_pattern(self) -> None:
        """The pattern player in the inspector."""
        self.strip.follow()
        self.show_page(PatchPage.title)
        self.session.editor.select("pattern", "")

    def show_controller(self) -> None:
        """The window of the simulated controller, which is chosen with it."""
        if self.session.settings.now.controller != "simulated":
            self.session.settings.keep(self.session.settings.now.model_copy(update={"controller": "simulated"}))
        if self.controller is None:
            self.controller = ControllerWindow(self.session, self)
        self.controller.show()
        self.controller.raise_()

    def new(self) -> None:
        """An empty patch, where it is made into a sound."""
        self.session.editor.new()
        self.show_page(PatchPage.title)

    def save_as_new(self) -> None:
        """Asks for the name of a new preset."""
        self.header.preset.ask_name()

    def duplicate(self) -> None:
        """The chosen preset on the Shelf, the chosen layer elsewhere."""
        if self.shown == ShelfPage.title:
            self.shelf.duplicate()
            return
        part, key = self.session.editor.selection
        if part == "modulator" and key in self.session.patch.modulators:
            duplicate_modulator(self.session, key)
        elif key in self.session.patch.layers:
            duplicate(self.session, key)

    def copy(self) -> None:
        """What is chosen: an effect on its page, a layer or a modulator elsewhere."""
        part, key = self.session.editor.selection
        if self.shown == EffectsPage.title:
            self.effects.copy()
        elif part == "modulator" and key in self.session.patch.modulators:
            copy_modulator(self.session, key)
        elif key in self.session.patch.layers:
            copy_layer(self.session, key)
        else:
            self.session.say("Choose a layer, a modulator or an effect first: Ctrl+C copies it.")

    def paste(self) -> None:
        """What was copied, as one more of its kind."""
        held = self.session.editor.clipboard.noun
        if held == "effect":
            self.show_page(EffectsPage.title)
            self.effects.paste(self.session.editor.rack)
        elif held == "modulator":
            paste_modulator(self.session)
        elif held == "drawing":
            self.session.say("A drawing was copied: paste it with the button under another drawing.")
        else:
            paste_layer(self.session)

    def star(self) -> None:
        """Makes the preset on the table a favourite, or lets it be one no more."""
        work = self.session.editor.work
        chosen = self.shelf.chosen() if self.shown == ShelfPage.title else None
        bank, preset = chosen or (work.bank, work.preset)
        listed = (
            next((one for one in self.session.shelf.catalogue.presets(bank) if one.id == preset), None)
            if bank
            else None
        )
        if listed is not None:
            self.shelf.change_preset(bank, preset, {"favourite": not listed.favourite}, "star")
        else:
            self.session.say("Save the sound first: favourites are presets of a bank.")

    def sections(self) -> list[QWidget]:
        """The parts of the window, in the order of Tab and F6: those of the page, the strip, the header."""
        page = self.stack.currentWidget()
        parts = [*(page.sections() if isinstance(page, Page) else []), self.strip, self.header]
        return [part for part in parts if part.isVisible()]

    def next_section(self, step: int = 1) -> None:
        """The focus goes to the next part of the window, to the first in it that takes one."""
        parts, focus = self.sections(), QApplication.focusWidget()
        at = next((n for n, part in enumerate(parts) if focus is part or (focus and part.isAncestorOf(focus))), -1)
        for n in range(1, len(parts) + 1):
            if order := in_turn(parts[(at + step * n) % len(parts)]):
                order[0].setFocus(Qt.FocusReason.TabFocusReason)
                return

    def focusNextPrevChild(self, forth: bool) -> bool:
        """Tab goes through the page first."""
        order = [widget for part in self.sections() for widget in in_turn(part)]
        return give_next(order, QApplication.focusWidget(), forth)

    def sew(self) -> None:
        """Types a thread for the dial in focus."""
        dial = self.focusWidget()
        if isinstance(dial, ParamControl) and dial.param.movable:
            dial.type_thread()
        else:
            self.session.say("Focus a dial first: Ctrl+T sews a thread to it.")

    def _toggle(self, switch: str) -> None:
        key = self.session.editor.selection[1]
        if key in self.session.patch.layers:
            path = f"layers.{key}.{switch}"
            self.session.editor.set(path, not self.session.editor.value(path))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        part, key = self.session.editor.selection
        if event.key() != Qt.Key.Key_Delete or not self._at_layers():
            super().keyPressEvent(event)
        elif part == "modulator" and key in self.session.patch.modulators:
            remove_mover(self.session, key)
        elif key in self.session.patch.layers:
            remove_layers(self.session, self.session.editor.chosen or {key})

    def _at_layers(self) -> bool:
        """Whether the hand is at the layers and movers of the Patch page, and not in its drawer, the strip or the header."""
        if self.shown != PatchPage.title:
            return False
        focus, page = QApplication.focusWidget(), self.patch_page
        if focus is None or focus in (self, self.stack):
            return True
        return page.isAncestorOf(focus) and not (page.drawer is not None and page.drawer.isAncestorOf(focus))

    def silence(self) -> None:
        """Stops everything that sounds."""
        self.session.transport.play(False)
        self.session.link.silence()
        self.strip.hold.setChecked(False)

    def search(self) -> None:
        """To the search line of the Shelf."""
        self.show_page(ShelfPage.title)
        self.shelf.search.setFocus()
        self.shelf.search.selectAll()

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._fold_keyboard()

    def close_with(self, answer: Callable[[], object]) -> None:
        """Closes after an answer to what becomes of unsaved work; stays where it came to nothing."""
        if answer() is not False:
            self._answered = True
            self.close()

    def end(self) -> None:
        """Closes without a question; what is not saved is kept for next time."""
        self._answered = True
        self.close()
        QApplication.quit()  # also where a dialog of the system is open

    def _geometry(self) -> str:
        """Size and place, to be kept."""
        return bytes(self.saveGeometry().toBase64().data()).decode()

    def take_place(self) -> None:
        """Stands where it stood the last time, on a screen that is there."""
        kept = self.session.settings.now.window
        if not (kept and self.restoreGeometry(QByteArray.fromBase64(kept.encode()))):
            room = self.screen().availableGeometry()
            self.resize(
                *(
                    min(wished, has) if has >= least else wished
                    for wished, has, least in zip(WISHED, (room.width(), room.height()), SMALLEST, strict=True)
                )
            )

    def _ask(self) -> None:
        """What shall become of the sound on the table."""
        session = self.session
        answers = (
            ("Save it", partial(self.close_with, self.header.preset.save_it)),
            ("Keep it for next time", partial(self.close_with, session.autosave.write)),
            ("Discard", partial(self.close_with, session.presets.let_go)),
        )
        self.said.say(f"“{session.patch.name}” is not saved.", False, answers)

    def closeEvent(self, event: QCloseEvent) -> None:
        if self.session.settings.now.closing == "ask" and self.session.editor.work.worth_keeping and not self._answered:
            self._ask()
            event.ignore()
            return
        self._timer.stop()
        self._later.stop()
        self.session.settings.remember(window=self._geometry())
        if "drawer" in self.__dict__:
            self.drawer.end()
        if isinstance(workshop := self._pages.get(WorkshopPage.title), WorkshopPage):
            workshop.end()
        self.keys.end()
        self.session.close()
        super().closeEvent(event)
