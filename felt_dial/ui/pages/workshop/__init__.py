"""The Workshop: the wavetable bench and the sample bench."""
