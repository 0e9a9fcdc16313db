"""What both benches are about: one layer of the patch on the table, and what it plays."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import QObject, Signal

from felt_dial.patch.asset import Asset
from felt_dial.patch.patch import put
from felt_dial.session.session import Session


class BenchWork(QObject):
    """What a layer plays, as it lies on a bench.

    Attributes
    ----------
    changed : Signal()
        Something else lies there, or it is another.
    """

    changed = Signal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.wished = ""
        """The layer that was asked for last."""
        self._seen: tuple[object, ...] | None = None
        session.channel.watch(self.follow, "layers")

    def suits(self, source: Any) -> bool:
        """Whether what a source plays can lie here."""
        raise AssertionError

    def follow(self) -> None:
        """The patch is another: what is shown here follows."""
        raise AssertionError

    def layers(self) -> list[str]:
        """Layers whose sound can lie here, or could if they had one."""
        return [key for key, layer in self.session.patch.layers.items() if self.suits(layer.source)]

    @property
    def layer(self) -> str:
        """The layer on the bench: the one asked for, the one selected, the first that plays something; empty for none."""
        known = self.layers()
        for key in (self.wished, self.session.editor.selection[1]):
            if key in known:
                return key
        full = [key for key in known if self._source(key).asset is not None]
        return (full or known or [""])[0]

    def _source(self, key: str) -> Any:
        return self.session.patch.layers[key].source

    @property
    def source(self) -> Any:
        """The source that plays it; None where there is none."""
        key = self.layer
        return self._source(key) if key else None

    @property
    def asset(self) -> Asset | None:
        """What it plays, as the patch names it."""
        source = self.source
        return None if source is None else source.asset

    def choose_layer(self, key: str) -> None:
        """Puts what another layer plays here."""
        self.wished = key
        self.follow()

    def rename(self, name: str) -> None:
        """Calls it something else."""
        source, name = self.source, name.strip()[:80]
        if source is None or source.asset is None or name in ("", source.asset.name):
            return
        fresh = source.model_copy(update={"asset": source.asset.model_copy(update={"name": name})})
        self.session.editor.edit(put(self.session.patch, ["layers", self.layer, "source"], fresh), f"call it {name}")
        self.follow()
