"""Dials as typed fields: unit, range, step, default, meaning and source stand once, here and in the kinds' models."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict, dataclass
from typing import Any, TypeVar, get_args

from pydantic import BaseModel, ConfigDict, Field, ValidationError
from pydantic.fields import FieldInfo
from pydantic_core import ErrorDetails

from lantern.core.faults import Fault, Refused
from lantern.core.units import Quantity


class Dials(BaseModel):
    """Base of every kind's dials: frozen, no unknown names, no NaN or infinity."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False, strict=False)


DialsT = TypeVar("DialsT", bound=Dials)


def dial(
    default: Any,
    *,
    unit: str = "",
    low: float | None = None,
    high: float | None = None,
    above: float | None = None,
    step: float | None = None,
    meaning: str,
    source: str = "common practice, no source",
    difference: bool = False,
    reach: float = 0.0,
) -> Any:
    """A dial's field. `low` and `high` are allowed values, `above` is an excluded lower bound; its strip goes to `reach` at least.

    `difference`: a temperature difference, not a level, so that 5 °C of it are 9 °F and not 41.
    """
    extra: dict[str, Any] = {"unit": unit, "step": step, "source": source, "difference": difference, "reach": reach}
    return Field(default=default, ge=low, le=high, gt=above, description=meaning, json_schema_extra=extra)


@dataclass(frozen=True, slots=True)
class DialInfo:
    """What a page, a form or a document needs to know of a dial."""

    name: str
    label: str
    unit: str
    low: float | None
    high: float | None
    low_excluded: bool
    step: float | None
    default: Any
    meaning: str
    source: str
    choices: tuple[str, ...]
    difference: bool
    numeric: bool
    optional: bool
    reach: float

    def as_dict(self) -> dict[str, Any]:
        return asdict(self)

    def allowed(self, shown: Quantity | None = None) -> str:
        """The allowed values in words, with the unit; `shown`: in the scale that the user sees."""
        if self.choices:
            return "one of " + ", ".join(self.choices)
        if not self.numeric:
            return "true or false" if isinstance(self.default, bool) else "a list of names (or empty)"
        q = shown or Quantity(self.unit)
        unit = f" {q.unit}" if q.unit else ""
        low = "" if self.low is None else f"{'more than' if self.low_excluded else 'at least'} {q.show(self.low):g}"
        high = "" if self.high is None else f"at most {q.show(self.high):g}"
        both = " and ".join(part for part in (low, high) if part)
        text = f"a number{' of ' if both else ''}{both}{unit}"
        return text + (" (or empty)" if self.optional else "")


def describe(model: type[Dials]) -> list[DialInfo]:
    """The dials of a model in their order."""
    return [_info(name, field) for name, field in model.model_fields.items()]


def describe_dial(model: type[Dials], name: str) -> DialInfo:
    """One dial; an unknown name is refused with the names there are."""
    field = model.model_fields.get(name)
    if field is None:
        names = ", ".join(model.model_fields)
        raise Refused([Fault(f"dials.{name}", f"there is no dial named {name!r}", f"one of {names}")])
    return _info(name, field)


def read_dials(model: type[DialsT], values: Mapping[str, Any], *, where: str = "dials") -> DialsT:
    """Values to dials; a value left out has its default. Raises `Refused` naming the dial, the value and what is allowed."""
    try:
        return model.model_validate(dict(values))
    except ValidationError as error:
        raise Refused([_fault(model, detail, where) for detail in error.errors()]) from error


def _info(name: str, field: FieldInfo) -> DialInfo:
    extra = field.json_schema_extra if isinstance(field.json_schema_extra, dict) else {}
    low = high = None
    low_excluded = False
    for meta in field.metadata:
        if (value := getattr(meta, "ge", None)) is not None:
            low = value
        if (value := getattr(meta, "gt", None)) is not None:
            low, low_excluded = value, True
        if (value := getattr(meta, "le", None)) is not None:
            high = value
    annotation = field.annotation
    arguments = get_args(annotation)
    choices = tuple(a for a in arguments if isinstance(a, str))
    numeric = annotation in (int, float) or any(a in (int, float) for a in arguments)
    step = extra.get("step")
    return DialInfo(
        name=name,
        label=label_of(name),
        unit=str(extra.get("unit", "")),
        low=low,
        high=high,
        low_excluded=low_excluded,
        step=step if isinstance(step, float | int) else None,
        default=field.default,
        meaning=field.description or "",
        source=str(extra.get("source", "")),
        choices=choices,
        difference=bool(extra.get("difference", False)),
        numeric=numeric,
        optional=type(None) in arguments,
        reach=reach if isinstance(reach := extra.get("reach"), float | int) else 0.0,
    )


def label_of(name: str) -> str:
    """`hysteresis_c` reads "Hysteresis": the unit stands beside the number, not in the label."""
    words = name.split("_")
    if words[-1] in {"c", "s", "px", "m", "mps", "mps2", "dbsm", "db", "deg", "percent"} and len(words) > 1:
        words = words[:-1]
    return " ".join(words).replace("rearm", "re-arm").replace("rcs", "size").capitalize()


def _fault(model: type[Dials], detail: ErrorDetails, where: str) -> Fault:
    path = [str(part) for part in detail["loc"]]
    name = path[0] if path else ""
    field = model.model_fields.get(name)
    value = detail["input"]
    if detail["type"] == "extra_forbidden":
        known = ", ".join(model.model_fields)
        return Fault(f"{where}.{name}", f"there is no dial named {name!r}", f"one of {known}")
    if field is None:  # a rule over several dials
        return Fault(where, detail["msg"].removeprefix("Value error, "), "dials that agree with each other")
    return Fault(f"{where}.{name}", f"{value!r} is not allowed", _info(name, field).allowed())
