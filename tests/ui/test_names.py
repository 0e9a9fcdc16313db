"""Names are text: nothing that people call something is read as markup, anywhere."""

from __future__ import annotations

from PySide6.QtGui import Qt
from PySide6.QtWidgets import QApplication, QLabel, QListView, QTableView, QWidget

from felt_dial.patch.patch import Patch, put
from felt_dial.ui.frame.window import PAGES
from tests.ui.conftest import Desk

MARKUP = "<h1>Dew</h1><img src='/etc/hostname'>&amp; &Pluck"


def named(patch: Patch) -> Patch:
    """Everything in a patch that can have a name has this one."""
    patch = patch.model_copy(update={"name": MARKUP, "author": MARKUP, "description": MARKUP, "character": (MARKUP,)})
    for key in patch.layers:
        patch = put(patch, ["layers", key, "name"], MARKUP)
    for key in patch.modulators:
        patch = put(patch, ["modulators", key, "name"], MARKUP)
    for key in patch.macros:
        patch = put(put(patch, ["macros", key, "name"], MARKUP), ["macros", key, "description"], MARKUP)
    return patch


def check(top: QWidget) -> int:
    """Every label and tooltip below a widget; returns how many hold the name."""
    found = 0
    for widget in (top, *top.findChildren(QWidget)):
        tip = widget.toolTip()
        assert not Qt.mightBeRichText(tip), (type(widget).__name__, tip)
        if isinstance(widget, QLabel):
            rich = widget.textFormat() != Qt.TextFormat.PlainText and Qt.mightBeRichText(widget.text())
            assert not rich, (type(widget).__name__, widget.text())
            found += "<" in widget.text()
        if isinstance(widget, QListView | QTableView) and widget.model() is not None:
            model = widget.model()
            for row in range(model.rowCount()):
                for column in range(model.columnCount(model.index(-1, -1)) if isinstance(widget, QTableView) else 1):
                    listed = model.index(row, column).data(Qt.ItemDataRole.ToolTipRole)
                    assert not listed or not Qt.mightBeRichText(str(listed)), listed
        found += "<" in tip
    return found


def test_a_name_full_of_markup_is_shown_as_it_is_on_every_page(desk: Desk) -> None:
    session = desk.session
    session.editor.edit(named(session.patch), "name everything")
    assert session.presets.save_new(MARKUP)
    session.shelf.library.bank("glasshouse-at-dusk").about({}, {"name": MARKUP})
    path = session.shelf.library.bank("tide-tables").path("ebb-bell")
    path.write_text(path.read_text().replace('"kind": "wave"', f'"kind": "{MARKUP.replace(chr(34), "")}"'))
    session.shelf.refresh()
    session.say(f"“{MARKUP}” is said.", problem=True)
    seen = 0
    for title in PAGES:
        desk.window.show_page(title)
        parts = [("source", "a"), ("filter", "a"), ("modulator", "e1"), ("macro", "m1"), ("out", "a"), ("patch", "")]
        for part, key in parts if title == "Patch" else [("source", "a")]:
            desk.select(part, key)
            QApplication.processEvents()
            seen += check(desk.window)
    desk.window.shelf.choose_bank("tide-tables")
    seen += check(desk.window)
    assert seen > 50


def test_long_names_fit_and_are_kept_whole(desk: Desk) -> None:
    long = "Fern " * 40
    desk.rename(desk.window.header.preset.name, long)
    assert desk.session.patch.name == long.strip()
    assert (
        desk.session.presets.save()
        and desk.session.shelf.library.bank("glasshouse-at-dusk").load("dew-pluck").name == long.strip()
    )
