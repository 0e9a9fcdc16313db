"""Shake: other settings of a module or a layer by chance, where it stands, as one step."""

from __future__ import annotations

import random

from felt_dial.bank.variation.in_place import shaken
from felt_dial.errors import FeltDialError
from felt_dial.patch.params import Param
from felt_dial.patch.units import PERCENT
from felt_dial.session.session import Session
from felt_dial.ui.dials.controls import MenuPill
from felt_dial.ui.dials.figure_menu import FigureMenu
from felt_dial.ui.dials.plain_slider import PlainSlider

_far = [0.4]
"""How far it was shaken last, anywhere."""


class ShakePill(MenuPill):
    """Opens how far and the act; the menu stays open, so that one may go on until it is right."""

    def __init__(self, session: Session, path: str, whole: str = "") -> None:
        tip = "Moves the dials here by chance, in tune; levels stay, and one undo takes each go back"
        super().__init__("Shake…", tip, self.menu)
        self.session, self.path, self.whole = session, path, whole

    def turn_to(self, path: str, owner_dye: str) -> None:
        """Is about another module."""
        self.path = path

    def menu(self) -> FigureMenu:
        """How far, and the act."""
        far = PlainSlider(Param("how far", 0.4, (0.02, 1.0), PERCENT, says="How far the dials are moved, at most"), 52)
        far.set_value(_far[0])
        menu = FigureMenu(self, [far], [])
        menu.action("Shake it", lambda: self.shake(far.value))
        return menu

    def shake(self, far: float) -> None:
        """Other settings, as one step."""
        _far[0] = far
        editor = self.session.editor
        try:
            made = shaken(editor.patch, self.path, far, random.randrange(1 << 30), frozenset(editor.locked))
        except FeltDialError as wrong:
            self.session.say(str(wrong), problem=True)
            return
        _, part, *rest = self.path.split(".")
        editor.edit(made, f"shake {self.whole or ' '.join((*rest, 'of', part.upper()) if rest else (part,))}")
