"""What a person decided of the figure's colours, and of what lies under it."""

from dataclasses import dataclass

Rgb = tuple[int, int, int]


@dataclass(frozen=True, slots=True)
class Recolour:
    """Other colours for the figure; its matte stays as it is.

    Parameters
    ----------
    colour : tuple of 3 int or None
        What all of it gets, 0 to 255 each; None where only pieces of it get one.
    towards : tuple of 3 int or None
        The colour at the other end of a gradient.
    degrees : float
        Which way the gradient goes: 0 to the right, 90 downwards, over the box around the figure.
    pieces : tuple of (row, col, colour)
        Places in the work area, of each of which the piece of the figure that hangs together there gets a colour of its own.
    """

    colour: Rgb | None = None
    towards: Rgb | None = None
    degrees: float = 0.0
    pieces: tuple[tuple[int, int, Rgb], ...] = ()


@dataclass(frozen=True, slots=True)
class Backing:
    """A solid layer under the figure's outer silhouette.

    Parameters
    ----------
    colour : tuple of 3 int
        0 to 255 each.
    grown_px : float
        How far beyond the silhouette it goes, -400 to 400; below 0 it stays back.
    fills_holes : bool
        Whether it lies under what the figure closes in as well.
    """

    colour: Rgb
    grown_px: float = 0.0
    fills_holes: bool = True


@dataclass(frozen=True, slots=True)
class SpillPlace:
    """A place with an amount of its own.

    Parameters
    ----------
    row, col, radius_px : float
        In pixels of the work area; it fades out over the outer half.
    amount : float
        0 to 2.
    """

    row: float
    col: float
    radius_px: float
    amount: float


@dataclass(frozen=True, slots=True)
class TintPlan:
    """Step 5; the defaults are nobody's decisions, and change nothing.

    Parameters
    ----------
    spill : float
        How much of a screen's measured light is taken off the figure, 0 to 2.
    spill_places : tuple of SpillPlace
        Where it is another; a later one wins over an earlier one.
    spill_guards : tuple of (colour, distance)
        Colours, 0 to 255, that no light is taken off, and how far, 100 times in OKLab, another may be from them.
    dropped_inks : tuple of (red, green, blue)
        Inks that are not kept, 0 to 255; each means the measured ink nearest to it.
    depth : float
        How far the figure's darkest colour is drawn to black, 0 to 1, and all others with it.
    brightness, contrast : float
        -1 to 1, 0 for none.
    saturation : float
        0 for grey to 2, 1 as it is.
    recolour : Recolour or None
        Other colours.
    backing : Backing or None
        What lies under the figure.
    shadow : float
        How much of the shadow that lies on the ground is kept, as black with a matte of its own, 0 to 1.
    """

    spill: float = 1.0
    spill_places: tuple[SpillPlace, ...] = ()
    spill_guards: tuple[tuple[Rgb, float], ...] = ()
    dropped_inks: tuple[Rgb, ...] = ()
    depth: float = 0.0
    brightness: float = 0.0
    contrast: float = 0.0
    saturation: float = 1.0
    recolour: Recolour | None = None
    backing: Backing | None = None
    shadow: float = 0.0

    @property
    def fills_cleared(self) -> bool:
        """Whether something stands where all is cleared."""
        return self.backing is not None or self.shadow > 0

    @property
    def needs_outlook(self) -> bool:
        """Whether it depends on more than what lies around a place: on silhouette, box or pieces of the whole figure."""
        return self.backing is not None or (
            self.recolour is not None
            and bool(self.recolour.towards is not None or self.recolour.pieces)
        )
