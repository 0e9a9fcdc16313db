"""Felt Dial: a workbench for designing synthesizer presets."""

from __future__ import annotations

__version__ = "0.2.0"
