"""The ways of looking at a shot, as data: each is a small model with its name in `kind`.

They never change the work. `views.view` makes the picture of one; the browser sends them as JSON.
"""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, RootModel

GROUNDS = {"black": (0, 0), "white": (255, 255), "grey": (118, 118), "checks": (90, 150)}
Ident = Annotated[str, Field(max_length=120)]


class _Kind(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)


class ResultView(_Kind):
    """All planes."""

    kind: Literal["result"] = "result"


class PlateView(_Kind):
    """The plate as it came."""

    kind: Literal["plate"] = "plate"


class PlaneView(_Kind):
    """A plane alone, with its alpha."""

    kind: Literal["plane"] = "plane"
    plane: Ident


class BlendView(_Kind):
    """The result with a plane laid over what lies behind it another way, by a name of `costs.WAYS`."""

    kind: Literal["blend"] = "blend"
    plane: Ident
    way: Ident


class TakesView(_Kind):
    """What a take differs in from what lies behind it, as it lies there: grey where they are alike."""

    kind: Literal["takes"] = "takes"
    plane: Ident


class _MatteKind(_Kind):
    """pulls: how many of the matte's pulls count, the first ones, before its edge step; all where it is not said.

    edged: with the edge step.
    """

    matte: Ident
    pulls: int | None = Field(None, ge=1, le=999)
    edged: bool = True


class MatteView(_MatteKind):
    """A matte in grey."""

    kind: Literal["matte"] = "matte"


class VeilView(_MatteKind):
    """The matte over the plate as see-through blue, with its outline."""

    kind: Literal["veil"] = "veil"


class CutoutView(_MatteKind):
    """The plate through the matte over an even ground: a name of GROUNDS, or a colour as #rrggbb."""

    kind: Literal["cutout"] = "cutout"
    ground: str = Field(pattern=r"^(black|white|grey|checks|#[0-9a-f]{6})$")


class ChangeView(_MatteKind):
    """What the matte gained and lost since the frame before."""

    kind: Literal["change"] = "change"


class UnrollView(_MatteKind):
    """The matte of many frames side by side."""

    kind: Literal["unroll"] = "unroll"


class OnionView(_MatteKind):
    """The matte with the outlines of the frames before and after."""

    kind: Literal["onion"] = "onion"


class TreatmentTry(_Kind):
    """The result with one treatment more on a plane."""

    kind: Literal["try-treatment"] = "try-treatment"
    plane: Ident
    treatment: Ident


class StarterTry(_Kind):
    """The result with one of a plane's treatments at its starter of that number."""

    kind: Literal["try-starter"] = "try-starter"
    plane: Ident
    step: Ident
    starter: int = Field(ge=0, le=999)


class PullTry(_Kind):
    """The veil of a matte with one pull more. params: what it begins with."""

    kind: Literal["try-pull"] = "try-pull"
    matte: Ident
    pull: Ident
    params: dict[str, float | str | bool] = Field(default_factory=dict, max_length=50)


class PlaneTry(_Kind):
    """A new plane of a kind, alone where it covers what is behind it. matte: the one that it would use."""

    kind: Literal["try-plane"] = "try-plane"
    plane: Ident
    matte: Ident | None = None


class PlaneTarget(_Kind):
    """A plane, on which treatments can be laid."""

    kind: Literal["plane"] = "plane"
    plane: Ident


class StepTarget(_Kind):
    """A treatment of a plane, which can be set to one of its starters."""

    kind: Literal["step"] = "step"
    plane: Ident
    step: Ident


class MatteTarget(_Kind):
    """A matte, which can have more pulls."""

    kind: Literal["matte"] = "matte"
    matte: Ident


class StandTarget(_Kind):
    """The stand, which can have more planes. matte: the one that they would use."""

    kind: Literal["stand"] = "stand"
    matte: Ident | None = None


class LookTry(_Kind):
    """The result with a look on a plane, or on the stand; it is made where looks are kept."""

    kind: Literal["try-look"] = "try-look"
    look: Ident
    on: Annotated[PlaneTarget | StandTarget, Field(discriminator="kind")]


OfMatte = MatteView | VeilView | CutoutView | ChangeView | UnrollView | OnionView
Try = TreatmentTry | StarterTry | PullTry | PlaneTry
View = ResultView | PlateView | PlaneView | BlendView | TakesView | OfMatte | Try
Target = PlaneTarget | StepTarget | MatteTarget | StandTarget


class AnyView(RootModel[Annotated[View | LookTry, Field(discriminator="kind")]]):
    """A way of looking, told by its `kind`."""


class AnyTarget(RootModel[Annotated[Target, Field(discriminator="kind")]]):
    """Something that things can be laid on, told by its `kind`."""
