"""Felt Dial: a workbench for designing synthesizer presets."""

__version__ = "0.1.0"
