"""What lies on the benches: always what a layer plays, so that every edit is heard, and undone like any other.

drafts      what is heard while the hand is still moving
table       the wavetable bench
recording   the sample bench
"""
