"""What the stages of a merge are expected to cost, in seconds on two cores as once measured: for telling progress."""

from dataclasses import dataclass, replace

from crenn.core.progress import Progress, Stages


@dataclass(frozen=True)
class Work:
    """What a merge has to do.

    Attributes
    ----------
    frames, others : int
        Light frames, and calibration frames.
    megapixels : float
        Of a frame.
    stack : bool
        Whether frames of equal exposure are stacked, else frames of several are merged.
    moved : bool
        Whether frames lie beside each other and their detail is gathered.
    motion : bool
        Whether what moved is looked for.
    trails : bool
        Whether trails of stars are drawn.
    grouped : bool
        Whether frames of equal exposure are stacked before frames of several are merged.
    clipped : bool
        Whether light was lost.
    """

    frames: int
    others: int = 0
    megapixels: float = 24.0
    stack: bool = False
    moved: bool = True
    motion: bool = True
    trails: bool = False
    grouped: bool = False
    clipped: bool = True

    @property
    def costs(self) -> dict[str, float]:
        """Of the stages, in their order."""
        each, one = self.frames * self.megapixels, self.megapixels
        several = self.frames > 1
        bracket, stack, moved = not self.stack, self.stack, several and self.moved
        return {
            "read": 0.01 * (self.frames + self.others) * one,
            "calibrate": 0.1 * self.others * one,
            "groups": (0.2 if self.grouped else 0.001) * each,
            # Of a stack.
            "clean": stack * 0.028 * each,
            "register": stack * (0.3 * one if self.trails else 0.04 * each + 0.25 * one),
            "turn": stack * 0.08 * each,
            "pauses": stack * self.trails * 0.23 * each,
            "reduce": stack * (0.006 if self.trails else 0.08) * each,
            # Of a bracket.
            "align": bracket * (self.frames - 1) * (1.5 if moved else 0.6),
            "lay": bracket * moved * 0.085 * each,
            "compare": bracket * several * 0.006 * each,
            "motion": bracket * several * self.motion * 0.017 * each,
            "light": bracket * 0.008 * each,
            # Of all.
            "lines": (not moved) * 0.016 * one,
            "mend": 0.03 * one,
            "lost": self.clipped * 0.1 * one,
            "fringes": 0.035 * one,
            "colour": 0.07 * one,
            "detail": moved * 0.25 * each,
            "gamut": 0.02 * one,
            "report": 0.5 + 0.03 * one,
        }


class MergeStages(Stages):
    """The stages of a merge, as far as is known what it has to do."""

    def __init__(self, progress: Progress, work: Work):
        super().__init__(progress, work.costs)
        self._work = work

    def known(self, **more) -> None:
        """Take in more of what there is to do, as `Work` has it."""
        self._work = replace(self._work, **more)
        self.expect(self._work.costs)
