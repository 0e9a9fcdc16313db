"""What still sounds while no key is down, and why: said by the output meter, so that nobody has to search."""

from __future__ import annotations

from felt_dial.patch.patch import sounding
from felt_dial.patch.routing import effect_name
from felt_dial.session.session import Session
from felt_dial.ui.frame.analyser import decibels

HEARD = 1e-4
"""Largest sample (−80 dBFS) below which something counts as silent."""


def what_lasts(session: Session) -> list[str]:
    """A line for every layer and effect that sounds though no key is down; none where a key is down or nothing sounds."""
    data, patch = session.link.shared.data, session.patch
    if data["keys"].any() or data["playing"] or float(data["peaks"].max()) < HEARD:
        return []
    if patch.pattern.on and patch.pattern.get("hold") and int(data["voices"]):
        return ["The pattern holds its notes: its Hold is on."]
    lines = []
    for n, (key, layer) in enumerate(patch.layers.items()):
        if int(data["voices"]) and float(data["layer_peaks"][n]) >= HEARD:
            envelope = patch.modulators[layer.contour]
            up = ", which begins at key up" if layer.get("trigger") == "up" else ""
            late = f", late by {layer.params['delay'].write(layer.get('delay'))}" if layer.get("delay") else ""
            name = f"{key.upper()} {layer.name or layer.source.title}"
            shape = f"{layer.contour.upper()} goes to its end"
            if "release" in envelope.params:
                shape = f"{layer.contour.upper()} has a release of {envelope.params['release'].write(envelope.get('release'))}"
            lines.append(f"Layer {name}{up}{late}: {shape}.")
    for n, path in enumerate(sounding(patch)):
        part, *steps = path.split(".")
        level = float(data["steps"][n][1])
        if part == "racks" and level >= HEARD:
            lines.append(f"{effect_name(patch, *steps)} in rack {steps[0]} rings on: {decibels(level)}.")
    return lines
