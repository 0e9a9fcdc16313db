"""Names, tips and contrast on every page, in both themes; what is said while the kernels are compiled."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QColor, QImage
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QAbstractItemView, QApplication, QLabel, QScrollBar, QWidget

from felt_dial.live.link.messages import Compiling
from felt_dial.sound.compiling.compile import WHOLE, left
from felt_dial.ui.theme.colours import DYES, NIGHT, OAT, Theme, cloth, dye
from tests.sampled import some
from tests.ui.conftest import Desk

PAGES = ("Shelf", "Patch", "Effects", "Threads")


@pytest.fixture
def worn() -> Iterator[None]:
    """Whatever theme is worn in a test, the next one wears the first."""
    yield
    cloth.wear(OAT)


def _unnamed(top: QWidget) -> list[str]:
    """What takes the focus by Tab and has no name, or says nothing of itself when it is pointed at."""
    found = []
    for widget in top.findChildren(QWidget):
        tabbed = widget.focusPolicy().value & Qt.FocusPolicy.TabFocus.value
        if not tabbed or not widget.isVisible() or isinstance(widget, QScrollBar):
            continue
        name = widget.accessibleName() or getattr(widget, "text", lambda: "")()
        tip = widget.toolTip() or widget.accessibleDescription() or isinstance(widget, QAbstractItemView)
        if not name or not tip:
            found.append(f"{type(widget).__name__} “{name}” {'' if name else 'no name'} {'' if tip else 'no tip'}")
    return found


@pytest.mark.parametrize("every", some([7, 1], 2))
def test_whatever_takes_the_focus_has_a_name_and_a_tip_in_every_preset(desk: Desk, every: int) -> None:
    session, window = desk.session, desk.window
    wrong: dict[str, str] = {}
    for bank in session.shelf.banks:
        for preset in session.shelf.catalogue.presets(bank.id)[::every]:
            session.presets.open(bank.id, preset.id)
            for page in PAGES:
                window.show_page(page)
                QApplication.processEvents()
                for one in _unnamed(window):
                    wrong.setdefault(one, f"{preset.name}, {page}")
    assert not wrong, wrong


@pytest.mark.parametrize(
    "part", ["source", "drive", "filter", "level", "out", "macro", "bus", "patch", "pattern", "player"]
)
def test_every_inspector_has_names_and_tips(desk: Desk, part: str) -> None:
    key = {"macro": "m1", "bus": "1", "patch": "", "pattern": "", "player": "v"}.get(part, "a")
    desk.session.editor.select(part, key)
    QApplication.processEvents()
    assert not _unnamed(desk.window.patch_page.inspector)


# --- contrast, measured on what is drawn -----------------------------------------------------------


def luminance(colour: QColor) -> float:
    """Relative luminance of sRGB after WCAG 2.1."""
    parts = [colour.redF(), colour.greenF(), colour.blueF()]
    linear = [x / 12.92 if x <= 0.03928 else ((x + 0.055) / 1.055) ** 2.4 for x in parts]
    return 0.2126 * linear[0] + 0.7152 * linear[1] + 0.0722 * linear[2]


def contrast_in(image: QImage) -> float:
    """Contrast of the farthest pixel of a picture against its most frequent one, the ground."""
    image = image.convertToFormat(QImage.Format.Format_RGB32)
    pixels = np.frombuffer(image.constBits(), np.uint32).reshape(image.height(), -1)[:, : image.width()]
    colours, counts = np.unique(pixels & 0xFFFFFF, return_counts=True)
    shades = [luminance(QColor(int(one))) for one in colours]
    ground = shades[int(np.argmax(counts))]
    return max((max(ground, one) + 0.05) / (min(ground, one) + 0.05) for one in shades)


@pytest.mark.parametrize("theme", [OAT, NIGHT], ids=lambda theme: theme.name)
@pytest.mark.parametrize("page", PAGES)
@pytest.mark.usefixtures("worn")
def test_every_label_is_read_on_its_ground(desk: Desk, page: str, theme: Theme) -> None:
    """4.5 : 1 (WCAG 2.1, 1.4.3), on pixels: antialiased letters come near their colour only in their stems."""
    cloth.wear(theme)
    desk.window.show_page(page)
    QTest.qWait(60)
    shot = desk.window.grab().toImage()
    pale = []
    for label in desk.window.findChildren(QLabel):
        seen = label.visibleRegion().boundingRect()
        if not label.isVisible() or not label.text().strip() or not label.isEnabled() or seen.size() != label.size():
            continue
        place = label.mapTo(desk.window, QPoint(0, 0))
        contrast = contrast_in(shot.copy(place.x(), place.y(), label.width(), label.height()))
        if contrast < 4.2:  # thin letters lose a little of their 4.5 to antialiasing
            pale.append((label.text(), round(contrast, 2)))
    assert not pale, pale


@pytest.mark.parametrize("theme", [OAT, NIGHT], ids=lambda theme: theme.name)
@pytest.mark.parametrize("name", [name for name in DYES if name != "ink"])
@pytest.mark.usefixtures("worn")
def test_every_dye_is_told_from_its_ground(name: str, theme: Theme) -> None:
    """3 : 1 for marks (WCAG 2.1, 1.4.11), on cloth and, in its light form, in a well."""
    cloth.wear(theme)
    for shade, ground in ((dye(name), theme.cloth), (dye(name, in_well=True), theme.well)):
        a, b = luminance(shade), luminance(QColor(ground))
        assert (max(a, b) + 0.05) / (min(a, b) + 0.05) >= 3.0, (name, ground)


@pytest.mark.usefixtures("worn")
def test_nothing_stays_light_at_night(desk: Desk) -> None:
    """But for the keys of the keyboard and what stands in letters, a page at night is dark."""
    cloth.wear(NIGHT)
    for page in PAGES:
        desk.window.show_page(page)
        QTest.qWait(60)
        stack = desk.window.stack.grab().toImage().convertToFormat(QImage.Format.Format_Grayscale8)
        grey = np.frombuffer(stack.constBits(), np.uint8).reshape(stack.height(), -1)[:, : stack.width()]
        assert np.mean(grey > 140) < 0.06, page


@pytest.mark.parametrize("name", ["🌿 Fern 🌿", "مطر على الزجاج", "夜の温室", "ÁÉÍ ẞ"])
def test_names_of_any_script_are_shown(desk: Desk, name: str) -> None:
    desk.session.editor.rename_patch(name)
    desk.session.presets.save_new(name)
    desk.window.show_page("Shelf")
    QTest.qWait(40)
    box = desk.window.header.preset.name
    assert box.text() == name and desk.session.shelf.catalogue.presets(desk.session.editor.work.bank)
    empty = box.grab().toImage()
    box.setText("")
    assert box.grab().toImage() != empty, "something is drawn"
    assert not desk.uncaught


# --- the first start -----------------------------------------------------------------------------


def test_compiling_says_how_far_it_is_and_answers_a_key(desk: Desk) -> None:
    said = desk.window.said
    desk.session.channel.tell(Compiling(7, 28, 50.0))
    assert said.text.text() == "Compiling 7 of 28, about 50 s: once for this machine, then it sounds."
    QTest.qWait(4300)
    assert said.fresh, "it stays until it is done"
    desk.keys(Qt.Key.Key_Z)
    assert "about 50 s" in said.text.text() and "The key is heard after it" in said.text.text()
    desk.session.channel.tell(Compiling(28, 28, 0.0))
    assert said.text.text() == "The sound is ready." and not desk.session.transport.preparing


def test_the_time_that_is_left_is_guessed_and_then_known() -> None:
    assert left(0, 28, 0.0) == WHOLE and left(28, 28, 60.0) == 0.0
    assert left(14, 28, 30.0) == pytest.approx(0.5 * (0.5 * 60.0 + 0.5 * WHOLE))
    assert left(27, 28, 27.0) < 5.0
