"""Delay: two echo lines with a tone filter inside their loop."""

from __future__ import annotations

from felt_dial.patch.module import Effect
from felt_dial.patch.params import LOG, Param, Switch
from felt_dial.patch.units import HERTZ, PERCENT, SECONDS

LONGEST = 4.0


class Delay(Effect, kind="delay"):
    """Two echo lines, left and right, each with a tone filter inside its loop."""

    group = "Echo"

    picture = "echoes"

    left = Param(
        "Left", 0.375, (0.001, LONGEST), SECONDS, taper=LOG, beats=True, says="Time between echoes on the left."
    )
    right = Param(
        "Right", 0.5, (0.001, LONGEST), SECONDS, taper=LOG, beats=True, says="Time between echoes on the right."
    )
    feedback = Param("Feedback", 0.35, (0.0, 0.98), PERCENT, says="How much of each echo comes back as the next.")
    tone = Param(
        "Tone", 6000.0, (200.0, 20000.0), HERTZ, taper=LOG, says="Each echo after the first loses what is above."
    )
    ping_pong = Switch("Ping-pong", False, says="Echoes change sides: the sound enters left and walks across.")
    diffusion = Param("Diffusion", 0.0, (0.0, 1.0), PERCENT, says="Smears each echo, from a copy to a small cloud.")
    wow = Param("Wow", 0.0, (0.0, 1.0), PERCENT, says="The echoes waver in pitch, like worn tape.")
    duck = Param("Duck", 0.0, (0.0, 1.0), PERCENT, says="The echoes step back while something plays.")
    wet = Param("Wet", 0.3, (0.0, 1.0), PERCENT, says="How loud the echoes are beside the sound.")

    def echoes(self, tempo: float, count: int = 24) -> list[tuple[float, float, int]]:
        """Seconds, gain and side (0 left, 1 right) of the first echoes of a short sound."""
        times = [self.param_of(side).resolve(self.get(side), tempo) for side in ("left", "right")]
        feedback, wet = float(self.feedback), float(self.wet)
        if self.ping_pong:
            found, at = [], 0.0
            for n in range(count):
                at += times[n % 2]
                found.append((at, wet * feedback**n, n % 2))
            return found
        return sorted((times[s] * (n + 1), wet * feedback**n, s) for n in range(count // 2) for s in (0, 1))

    def summary(self) -> str:
        """The effect in a few words for its card."""
        shown = [self.params[side].write(self.get(side)) for side in ("left", "right")]
        times = shown[0] if shown[0] == shown[1] else " · ".join(shown)
        return f"{times}, {self.params['wet'].write(self.get('wet'))}"
