"""What enters itself is there: every kind has a picture, every page a tab, every drawing of it is true to its name."""

from __future__ import annotations

import pytest
from PySide6.QtWidgets import QApplication

from felt_dial.patch.edits import add_effect, add_modulator, replace_module
from felt_dial.patch.module import Effect, Filter, Modulator, Module, Source
from felt_dial.patch.patch import Patch
from felt_dial.sound.modules import new_patch
from felt_dial.ui.pages.page import all_pages
from felt_dial.ui.pictures.registry import picture_of
from felt_dial.ui.pictures.well import PICTURES
from tests.ui.conftest import Desk

EVERY = [kind for family in (Source, Filter, Modulator, Effect) for kind in family.kinds.values()]


def holding(kind: type[Module]) -> tuple[Patch, str]:
    """A patch with a module of a kind, and where it is."""
    patch = new_patch()
    if issubclass(kind, Effect):
        patch, key = add_effect(patch, "1", kind())
        return patch, f"racks.1.{key}"
    if issubclass(kind, Modulator):
        patch, key = add_modulator(patch, kind())
        return patch, f"modulators.{key}"
    path = "layers.a.source" if issubclass(kind, Source) else "layers.a.filter"
    return replace_module(patch, path, kind()), path


@pytest.mark.parametrize("large", [False, True], ids=["small", "large"])
@pytest.mark.parametrize("kind", EVERY, ids=lambda kind: f"{kind.__name__}")
def test_every_kind_has_a_picture_that_can_be_drawn(desk: Desk, kind: type[Module], large: bool) -> None:
    patch, path = holding(kind)
    desk.session.editor.edit(patch, "a module")
    picture = picture_of(desk.session, path, "madder", large)
    assert not kind.picture or type(picture) is PICTURES[kind.picture], "the picture that it names"
    assert kind.picture or not issubclass(kind, Filter), "a filter draws its own formula"
    picture.resize(280, 140)
    image = picture.grab().toImage()
    colours = {image.pixel(x, y) for x in range(0, image.width(), 3) for y in range(0, image.height(), 3)}
    assert len(colours) > 2, "something is drawn"
    picture.deleteLater()


def test_no_picture_is_named_that_is_not_there() -> None:
    assert {kind.picture for kind in EVERY} - {""} <= set(PICTURES)


def test_every_page_has_a_tab_in_its_place_and_opens(desk: Desk) -> None:
    pages = all_pages()
    assert list(desk.window.header.tabs) == [page.title for page in pages]
    assert [page.place for page in pages] == sorted({page.place for page in pages})
    for page in pages:
        desk.window.show_page(page.title)
        QApplication.processEvents()
        assert desk.find(page).isVisible()
