"""The parts of the card beside the sample bench, each for one thing that is done with a recording."""
