"""Loading a recording or a table: a file, heard as it is chosen; one of the last; one that comes with the program."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PySide6.QtWidgets import QFileDialog, QMenu, QWidget

from felt_dial.live.link.messages import Listen
from felt_dial.session.importing import FILES, Importing
from felt_dial.session.session import Session
from felt_dial.sound.matter.assets import find
from felt_dial.sound.matter.tables import shipped_recordings
from felt_dial.sound.sources.table import Table
from felt_dial.ui.theme.words import item


def run(dialog: QFileDialog) -> int:
    """Waits for the answer to a dialog."""
    return dialog.exec()


def choose_file(parent: QWidget, session: Session) -> Path | None:
    """Asks for a file, where one was found the last time; what is chosen on the way is played."""
    folder = next((str(Path(kept).parent) for kept in session.settings.now.recent if Path(kept).parent.is_dir()), "")
    dialog = QFileDialog(parent, "Load a recording", folder, FILES)
    dialog.setOption(QFileDialog.Option.DontUseNativeDialog)
    dialog.setFileMode(QFileDialog.FileMode.ExistingFile)
    dialog.currentChanged.connect(lambda path: session.link.tell(Listen(path if Path(path).is_file() else "")))
    chosen = dialog.selectedFiles() if run(dialog) else []
    session.link.tell(Listen(""))
    dialog.deleteLater()
    return Path(chosen[0]) if chosen else None


def load_menu(parent: QWidget, session: Session, layer: str, importing: Importing) -> QMenu:
    """What can be loaded into a layer: a file, the last ones, those that come with the program."""
    menu = QMenu(parent)

    def ask() -> None:
        if path := choose_file(parent, session):
            importing.load(layer, path)

    menu.addAction("From a file…", ask)
    recent = [Path(kept) for kept in session.settings.now.recent if Path(kept).is_file()]
    if recent:
        menu.addSeparator()
        for path in recent:
            action = menu.addAction(item(path.name), partial(importing.load, layer, path))
            action.setToolTip(str(path))
    if not isinstance(session.patch.layers[layer].source, Table):  # tables have a box of their own
        menu.addSeparator()
        for name, (asset, _) in shipped_recordings().items():
            if find(asset) is not None:
                menu.addAction(f"{name}, {asset.seconds:.1f} s", partial(importing.take, layer, name))
    menu.setToolTipsVisible(True)
    return menu
