"""Which picture suits which source, and in which order sources are offered."""

from __future__ import annotations

from felt_dial.sound.modules import Source
from felt_dial.ui.pictures.recordings import GrainsPicture, PartialsPicture, SamplePicture
from felt_dial.ui.pictures.sources import ChaosPicture, NoisePicture, SourcePicture, TablePicture, WavePicture
from felt_dial.ui.session import Session

PICTURES: dict[str, type[SourcePicture]] = {
    "wave": WavePicture,
    "table": TablePicture,
    "sample": SamplePicture,
    "grains": GrainsPicture,
    "partials": PartialsPicture,
    "noise": NoisePicture,
    "chaos": ChaosPicture,
}


def source_kinds() -> list[str]:
    """Every kind of source, the plain ones first."""
    return [*PICTURES, *(kind for kind in Source.kinds if kind not in PICTURES)]


def source_picture(session: Session, layer: str, shade: str, large: bool = False) -> SourcePicture:
    """The picture of a layer's source; a large one can be drawn in where there is something to draw."""
    picture = PICTURES[session.patch.layers[layer].source.kind]  # type: ignore[attr-defined]
    if large and issubclass(picture, GrainsPicture | PartialsPicture):
        return picture(session, layer, shade, large=True)
    return picture(session, layer, shade)
