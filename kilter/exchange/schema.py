"""The open format: its tables and columns, and the descriptor that names them (docs/format.md)."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from datetime import date
from decimal import Decimal
from typing import Any, Final

from django.core.exceptions import ValidationError

from kilter.core.amounts.units import parse_mass
from kilter.core.amounts.vague import PRECISIONS
from kilter.core.errors import KilterError
from kilter.core.growing.almanac import COLDEST_C, HOTTEST_C, WETTEST_MM
from kilter.core.growing.growth import KINDS
from kilter.core.growing.medium import EVENTS
from kilter.core.yields.record import GRADES
from kilter.ground.models import Compass, Fill, Light, Mix, Moisture, Move, Part, Place, Site
from kilter.people.models import Eater, Owned
from kilter.set_out.models import Cost, Crop, PlantCount, Planting, SeedLot, Variety
from kilter.tending.models import Happening, Job
from kilter.weather.models import Day
from kilter.weigh_in.models import (
    Bowl,
    Cleaned,
    Fullness,
    OwnMeasure,
    Renaming,
    Scale,
    SinglePlant,
    SplitBy,
    Topped,
    WeighIn,
)
from kilter.weigh_up.models import Criterion, SavedQuestion, Score, Trial, TrialUnit, Verdict

MAX_NUMBER: Final = 10_000.0
MODELS: dict[str, type[Owned]] = {
    "sites": Site,
    "places": Place,
    "parts": Part,
    "moves": Move,
    "mixes": Mix,
    "fills": Fill,
    "crops": Crop,
    "varieties": Variety,
    "lots": SeedLot,
    "plantings": Planting,
    "counts": PlantCount,
    "costs": Cost,
    "happenings": Happening,
    "jobs": Job,
    "weather": Day,
    "scales": Scale,
    "bowls": Bowl,
    "own_measures": OwnMeasure,
    "weigh_ins": WeighIn,
    "single_plants": SinglePlant,
    "renamings": Renaming,
    "questions": SavedQuestion,
    "criteria": Criterion,
    "scores": Score,
    "verdicts": Verdict,
    "trials": Trial,
    "trial_units": TrialUnit,
    "eaters": Eater,
}


class CellError(KilterError):
    """A cell that cannot be read; the message says why."""


@dataclass(frozen=True)
class Mass:
    """A mass with the text it was written as."""

    mg: int
    typed: str


@dataclass(frozen=True)
class Column:
    """One column: how its cells are read, how the descriptor tells of it, and where its value is kept."""

    name: str
    parse: Callable[[str], Any]
    field_type: str = "string"
    is_required: bool = False
    about: str = ""
    attr: str = ""  #: the record's attribute, where it is called otherwise; "-" where the table's own code sees to it
    empty: Any = None  #: what an empty cell stands for
    kept: Callable[[Any], Any] | None = None  #: from the cell's value to the attribute's
    shown: Callable[[Any], Any] | None = None  #: and back

    @property
    def kept_as(self) -> str:
        return self.attr or self.name


@dataclass(frozen=True)
class Table:
    """One CSV file."""

    name: str
    columns: tuple[Column, ...]
    foreign_keys: tuple[tuple[str, str], ...] = ()  #: column and the table whose id it holds
    late: tuple[str, ...] = ()  #: foreign keys to rows that are written after these
    one_of: tuple[str, ...] = ()  #: columns of which exactly one is filled

    @property
    def column_names(self) -> tuple[str, ...]:
        return tuple(column.name for column in self.columns)

    @property
    def plain(self) -> tuple[Column, ...]:
        """Columns kept as they are: neither the id, nor a foreign key, nor special."""
        keys = {"id", *(column for column, _ in self.foreign_keys)}
        return tuple(c for c in self.columns if c.name not in keys and c.attr != "-")


def text(limit: int) -> Callable[[str], str]:
    def parse(cell: str) -> str:
        if len(cell) > limit:
            raise CellError(f"is longer than {limit} characters")
        if "\x00" in cell:
            raise CellError("holds a character that is not text")
        return cell

    return parse


def number(low: float, high: float = MAX_NUMBER) -> Callable[[str], float]:
    def parse(cell: str) -> float:
        try:
            value = float(cell.replace(",", ".") if cell.count(",") == 1 and "." not in cell else cell)
        except ValueError:
            raise CellError("is not a number") from None
        if not low <= value <= high:  # also refuses NaN
            raise CellError(f"is not between {low:g} and {high:g}")
        return value

    return parse


def whole(low: int, high: int) -> Callable[[str], int]:
    def parse(cell: str) -> int:
        figures, _, decimals = cell.partition(".")  # spreadsheets like to write 3 as 3.0
        if not figures.isascii() or not figures.isdigit() or len(figures) > 9 or decimals.strip("0"):
            raise CellError("is not a whole number")
        if not low <= int(figures) <= high:
            raise CellError(f"is not between {low} and {high}")
        return int(figures)

    return parse


def day(cell: str) -> date:
    try:
        found = date.fromisoformat(cell)
    except ValueError:
        raise CellError("is not a date; write it as 2026-08-04") from None
    if not 1900 <= found.year <= 2200:
        raise CellError("is not between the years 1900 and 2200")
    return found


def mass(cell: str) -> Mass:
    """A mass must carry its unit: read under two default units, it must come out the same."""
    try:
        mg = parse_mass(cell, "g").mass_mg
        if mg != parse_mass(cell, "lb").mass_mg:
            raise CellError("has no unit; write it as 940 g, 0.94 kg or 2 lb 3 oz")
    except CellError:
        raise
    except KilterError as error:
        raise CellError(f"cannot be used: {error}") from error
    return Mass(mg, cell.strip())


def grade(cell: str) -> str:
    if cell.lower() not in GRADES:
        raise CellError(f"is no grade; use one of {', '.join(GRADES)}")
    return cell.lower()


def own_measure(cell: str) -> str:
    name = text(20)(cell).lower()
    try:
        OwnMeasure._meta.get_field("name").run_validators(name)
    except ValidationError as error:
        raise CellError(f"cannot name a measure: {' '.join(error.messages)}") from error
    return name


def methods(cell: str) -> dict[str, str]:
    found: dict[str, str] = {}
    for piece in filter(None, (part.strip() for part in cell.split(";"))):
        name, equals, value = (part.strip() for part in piece.partition("="))
        if not (name and equals and value) or "=" in value:
            raise CellError(f"holds “{piece}”; write name=value, and ; between several")
        if len(name) > 40 or len(value) > 80:
            raise CellError("has a method longer than 40, or a value longer than 80 characters")
        if name in found:
            raise CellError(f"says “{name}” twice")
        found[name] = value
    return found


def levels(cell: str) -> list[str]:
    """Kinds that are compared, with ; between."""
    found = [piece.strip() for piece in cell.split(";") if piece.strip()]
    if len(set(found)) < len(found) or any(len(one) > 80 for one in found):
        raise CellError("names a kind twice, or one longer than 80 characters")
    return found


def cell(value: Any) -> str:
    """One value as the format writes it."""
    if value is None:
        return ""
    if isinstance(value, Decimal):
        return f"{value.normalize():f}"
    return f"{value:.15g}" if isinstance(value, float) else str(value)


def word(*words: str) -> Callable[[str], str]:
    def parse(cell: str) -> str:
        if cell.lower() in lowered:
            return lowered[cell.lower()]
        raise CellError(f"is none of {', '.join(words)}")

    lowered = {one.lower(): one for one in words}
    return parse


def yes_no(cell: str) -> bool:
    """Written yes or no."""
    if cell.lower() in {"yes", "true", "1"}:
        return True
    if cell.lower() in {"no", "false", "0"}:
        return False
    raise CellError("is neither yes nor no")


def _words(name: str, limit: int, about: str = "", **more: Any) -> Column:
    return Column(name, text(limit), about=about, empty="", **more)


def _one(name: str, *words: str, about: str = "") -> Column:
    return Column(name, word(*words), about=about or f"One of: {', '.join(words)}.", empty="")


def _flag(name: str, attr: str, about: str) -> Column:
    return Column(
        name, yes_no, about=f"yes or no: {about}", attr=attr, empty=False, shown=lambda v: "yes" if v else None
    )


def _key(name: str, about: str = "", *, is_required: bool = False) -> Column:
    return Column(name, text(64), is_required=is_required, about=about or f"id of a {name}.")


def _weight(name: str, attr: str, about: str) -> Column:
    """A mass with its unit, kept as milligrams."""
    return Column(
        name, mass, about=about, attr=attr, kept=lambda m: m and m.mg,
        shown=lambda mg: mg and f"{cell(Decimal(mg) / 1000)} g",
    )  # fmt: skip


def _price(name: str = "price") -> Column:
    return Column(
        name, number(0, 1_000_000), "number", about="In the household's money.", attr="price_minor",
        kept=lambda v: None if v is None else round(v * 100), shown=lambda v: None if v is None else Decimal(v) / 100,
    )  # fmt: skip


def _scaled(name: str, attr: str, scale: int, about: str) -> Column:
    return Column(
        name, number(0, 1_000_000), "number", about=about, attr=attr,
        kept=lambda v: None if v is None else round(v * scale), shown=lambda v: None if v is None else v / scale,
    )  # fmt: skip


def _maybe(name: str, attr: str, about: str) -> Column:
    """Yes, no, or left to a rule."""
    return Column(
        name, yes_no, about=f"yes or no: {about}; empty: as the handbook or the household says.", attr=attr,
        shown=lambda v: None if v is None else "yes" if v else "no",
    )  # fmt: skip


def _unless_one(value: int) -> int | None:
    return None if value == 1 else value


_ID = Column("id", text(64), is_required=True, about="Unique in its table.")
_SIZE = number(0.01)
_AT = number(-MAX_NUMBER)
_SHARE = number(0, 1)
_LIGHT = _one("light", *Light.values)
_WET = _one("moisture", *Moisture.values)
_PRECISION = Column(
    "precision", word(*PRECISIONS), about=f"How exactly the day is known: {', '.join(PRECISIONS)}; empty for day.",
    empty="day", shown=lambda v: None if v == "day" else v,
)  # fmt: skip
_DATED = (Column("day", day, "date", is_required=True), _PRECISION)
_NOTE = _words("note", 200)


def _count(name: str, high: int = 1_000_000, low: int = 0, about: str = "", **more: Any) -> Column:
    return Column(name, whole(low, high), "integer", about=about, **more)


def _size(name: str, about: str = "Metres.") -> Column:
    return Column(name, _SIZE, "number", about=about)


def _spacing(name: str, about: str) -> Column:
    return Column(name, number(0.005, 50), "number", about=about)


def _levels(name: str, *, is_required: bool = False) -> Column:
    return Column(
        name, levels, is_required=is_required, about="Each kind, with ; between.", empty=[],
        shown=lambda v: "; ".join(v) or None,
    )  # fmt: skip


TABLES: Final[tuple[Table, ...]] = (
    Table(
        "sites",
        (
            _ID,
            Column("name", text(80), is_required=True),
            _size("length_m", "Metres, west to east."),
            _size("width_m", "Metres, south to north."),
            _LIGHT,
            _words("light_when", 80),
            _words("shelter", 40, "open, fence, under a tree, under glass …"),
            _size("path_m", "Metres, width of the paths between beds."),
            _count("away_min", 10_000, about="Minutes to get there."),
            Column("latitude", number(-66, 66), "number", about="Degrees; south below zero."),
            Column(
                "north_deg",
                number(-360, 360),
                "number",
                about="Clockwise from the map's top.",
                empty=0.0,
                shown=lambda v: v or None,
            ),
            _words("notes", 2000),
        ),
    ),
    Table(
        "places",
        (
            _ID,
            _key("site", "id of a site; empty for a site named Garden."),
            Column("kind", text(40), is_required=True, about="bed, raised bed, pot, crate, crock, pail, tray …"),
            Column("name", text(80), about="What a set shares; empty for the kind."),
            _count("number", 100_000, about="Number within a set."),
            _size("length_m"),
            _size("width_m"),
            _size("depth_m"),
            _size("volume_l", "Litres, nominal."),
            _words("material", 40),
            Column("x_m", _AT, "number", about="Metres east of the site's south-west corner."),
            Column("y_m", _AT, "number", about="Metres north of it."),
            _LIGHT,
            _WET,
            _size("height_m", "Metres, of what stands on it."),
            _one("shade_side", *Compass.values, about="Compass point to which it shades."),
            _size("empty_kg", "Kilograms when empty."),
            _flag("above_waist", "is_above_waist", "it is lifted above the waist."),
            _flag("rooted_through", "is_rooted_through", "roots grow out of the bottom."),
            _words("notes", 2000),
        ),
        (("site", "sites"),),
    ),
    Table(
        "parts",
        (
            _ID,
            _key("place", is_required=True),
            Column("name", text(40), is_required=True),
            Column(
                "kind", word(*Part.Kind.values), about="stretch, edge or middle; empty for stretch.", empty="stretch"
            ),
            Column("start", _SHARE, "number", about="Share of the length where it begins.", empty=0.0),
            Column("end", _SHARE, "number", about="Where it ends.", empty=1.0),
            _LIGHT,
            _WET,
            _words("notes", 400),
        ),
        (("place", "places"),),
    ),
    Table(
        "moves",
        (
            _ID,
            _key("place", is_required=True),
            *_DATED,
            _key("left_site", "id of the site it left.", is_required=True),
            Column("left_x_m", _AT, "number"),
            Column("left_y_m", _AT, "number"),
            _one("left_light", *Light.values),
            _NOTE,
        ),
        (("place", "places"), ("left_site", "sites")),
    ),
    Table(
        "mixes",
        (_ID, Column("name", text(60), is_required=True), _words("recipe", 300, "Parts by volume: compost 2; sand 1.")),
    ),
    Table(
        "fills",
        (
            _ID,
            _key("place", is_required=True),
            *_DATED,
            Column("kind", word(*EVENTS), about=f"{', '.join(EVENTS)}; empty for filled.", empty="filled"),
            Column("litres", number(0, 100_000), "number", about="Added, or seen where it was measured."),
            _key("mix"),
            _key("came_from", "id of the place whose medium it was."),
            _price(),
            _count("over_uses", 50, 1, "Uses the price is shared over; empty for one.", empty=1, shown=_unless_one),
            _NOTE,
        ),
        (("place", "places"), ("mix", "mixes"), ("came_from", "places")),
    ),
    Table(
        "crops",
        (
            _ID,
            Column("name", text(60), is_required=True),
            _maybe("small_food", "is_small_food", "Small counts as food"),
            _maybe("counted", "is_counted", "it is counted, weighed only now and then"),
        ),
    ),
    Table(
        "varieties",
        (
            _ID,
            Column("crop", text(60), is_required=True, attr="-"),
            Column("name", text(80), is_required=True),
            _count("days_min", 2000, 1, "Days to the first lift, from."),
            _count("days_max", 2000, 1, "To."),
        ),
    ),
    Table(
        "lots",
        (
            _ID,
            Column("crop", text(60), is_required=True, attr="-"),
            _words("variety", 80, attr="-"),
            Column("name", text(80), is_required=True),
            _words("source", 80),
            _key("kept_from", "id of the planting it was kept from."),
            _count("packed_year", 2200, 1900),
            Column("sow_by", day, "date"),
            _count("bought_count"),
            _weight("bought_mass", "bought_mg", "With its unit."),
            _price(),
            _words("notes", 400),
        ),
        (("kept_from", "plantings"),),
        late=("kept_from",),
    ),
    Table(
        "plantings",
        (
            _ID,
            _key("place", is_required=True),
            _key("part"),
            Column("share", number(0.001, 1), "number", about="Share of the place's or part's space."),
            Column("crop", text(60), is_required=True, about="Name; made if not known yet.", attr="-"),
            _words("variety", 80, "Name; empty if unknown; made if not known yet.", attr="-"),
            _flag("variety_in_doubt", "is_variety_doubtful", "the variety is in doubt."),
            _words("lot", 80, "id of a lot, or a name; made if not known yet.", attr="-"),
            _weight("lot_mass", "lot_mg", "Sown or set, with its unit."),
            _count("season", 2200, 1900, "Year of harvest; empty: told by the dates."),
            Column("planted_on", day, "date"),
            Column("planted_precision", word(*PRECISIONS), about=_PRECISION.about, empty="day", shown=_PRECISION.shown),
            _count("units", 100_000, 1, "How many were set out."),
            _count("units_pm", about="Give or take."),
            Column(
                "unit_kind", text(40), about="plant, seed potato, set, clove, slip …; empty for plant.", empty="plant"
            ),
            _one("layout", *Planting.Layout.values),
            _count("rows", 1000),
            _spacing("in_row_m", "Metres from plant to plant."),
            _spacing("row_gap_m", "Metres from row to row."),
            _spacing("depth_m", "Metres deep."),
            _spacing("spread_m", "Metres it spreads beyond itself."),
            _flag("volunteer", "is_volunteer", "it came up by itself."),
            _flag("perennial", "is_perennial", "it stays over years."),
            _key("kin", "id of the planting whose gaps it was sown into, or that it replaces."),
            _one("kinship", *Planting.Kinship.values),
            Column("lift_from", day, "date", about="Not to be lifted before."),
            Column("finished_on", day, "date", about="Day of the last lift; empty while it may still give."),
            _words("notes", 2000),
            Column("methods", methods, about="name=value;name=value", attr="-"),
        ),
        (("place", "places"), ("part", "parts"), ("kin", "plantings")),
        late=("kin",),
    ),
    Table(
        "counts",
        (
            _ID,
            _key("planting", is_required=True),
            *_DATED,
            Column("kind", word(*KINDS), is_required=True, about=f"{', '.join(KINDS)}."),
            _count("count", is_required=True),
            _NOTE,
        ),
        (("planting", "plantings"),),
    ),
    Table(
        "costs",
        (
            _ID,
            _key("planting"),
            _key("place"),
            Column("what", text(80), is_required=True),
            replace(_price(), is_required=True),
            Column("day", day, "date"),
            _count("over_years", 50, 1, "Years it lasts; empty for one.", empty=1, shown=_unless_one),
        ),
        (("planting", "plantings"), ("place", "places")),
        one_of=("planting", "place"),
    ),
    Table(
        "happenings",
        (
            _ID,
            _key("site"),
            _key("place"),
            _key("part"),
            _key("planting"),
            *_DATED,
            Column(
                "kind", word(*Happening.Kind.values), is_required=True, about=f"{', '.join(Happening.Kind.values)}."
            ),
            _words("what", 80),
            Column("until", day, "date"),
            Column("lost_share", _SHARE, "number", about="Share lost, 0 to 1."),
            _words("done", 200, "What was done about it."),
            _one("helped", *Happening.Helped.values),
            _words("note", 400),
        ),
        (("site", "sites"), ("place", "places"), ("part", "parts"), ("planting", "plantings")),
        one_of=("site", "place", "part", "planting"),
    ),
    Table(
        "jobs",
        (
            _ID,
            _key("planting"),
            _key("place"),
            *_DATED,
            Column("job", text(40), is_required=True),
            _flag("skipped", "is_skipped", "it was put aside, not done."),
            _scaled("minutes", "seconds", 60, "Minutes."),
            _scaled("litres", "water_ml", 1000, "Litres of water."),
            _NOTE,
        ),
        (("planting", "plantings"), ("place", "places")),
        one_of=("planting", "place"),
    ),
    Table(
        "weather",
        (
            _ID,
            _key("site", is_required=True),
            Column("day", day, "date", is_required=True),
            Column("min_c", number(COLDEST_C, HOTTEST_C), "number", about="°C."),
            Column("max_c", number(COLDEST_C, HOTTEST_C), "number", about="°C."),
            Column("rain_mm", number(0, WETTEST_MM), "number", about="Millimetres."),
            _words("source", 40),
        ),
        (("site", "sites"),),
    ),
    Table(
        "scales",
        (
            _ID,
            Column("name", text(40), is_required=True),
            replace(_weight("step", "step_mg", "Reads in steps of, with its unit."), is_required=True),
            _weight("limit", "limit_mg", "Bears up to, with its unit."),
        ),
    ),
    Table(
        "bowls",
        (
            _ID,
            Column("name", text(40), is_required=True),
            replace(_weight("mass", "mass_mg", "Empty, with its unit."), is_required=True),
        ),
    ),
    Table("own_measures", (_ID, Column("name", own_measure, is_required=True, about="One word."))),
    Table(
        "weigh_ins",
        (
            _ID,
            _key("planting", is_required=True),
            Column("weighed_on", day, "date", is_required=True),
            _PRECISION,
            Column("grade", grade, about="table, small, seed, hurt, unripe or lost; empty for table.", empty="table"),
            _count("count", 100_000),
            Column("mass", mass, about="What the scale showed, with its unit: 940 g, 0.94 kg, 2 lb 3 oz.", attr="-"),
            Column("tare", mass, about="To be taken off in all, with its unit.", attr="-"),
            _weight("give_or_take", "pm_mg", "One standard deviation of a mass from memory, with its unit."),
            _flag("remembered", "is_remembered", "it is from memory."),
            _flag("waits", "waits", "it was counted and is to be weighed; column left out: what has no mass waits."),
            _count("plants", 100_000, 1, "Lifted with this line, of a part lift."),
            _count("loads", 100, 1, "Readings the mass was added up from; empty for one.", empty=1, shown=_unless_one),
            _key("scale"),
            _key("bowl"),
            _key("measure", "id of an own_measure."),
            Column("measures", number(0.001, 1000), "number", about="How many of it."),
            _words("cause", 40, "Why hurt or lost."),
            _one("cleaned", *Cleaned.values),
            _one("topped", *Topped.values),
            _one("fullness", *Fullness.values, about="Ears or pods: full or gappy."),
            _flag("thinning", "is_thinning", "these are thinnings."),
            _words("basket", 32, "Lines of one mixed basket share it."),
            _one("split_by", *SplitBy.values, about="By what its basket was split: count, plants or area."),
            _key("turned_from", "id of the Unripe weigh_in it was taken off."),
            _words("note", 400),
        ),
        (
            ("planting", "plantings"),
            ("scale", "scales"),
            ("bowl", "bowls"),
            ("measure", "own_measures"),
            ("turned_from", "weigh_ins"),
        ),
        late=("turned_from",),
    ),
    Table(
        "single_plants",
        (
            _ID,
            _key("planting", is_required=True),
            *_DATED,
            _weight("mass", "mass_mg", "With its unit; not part of the harvest's sum."),
            _count("count", 100_000),
            _NOTE,
        ),
        (("planting", "plantings"),),
    ),
    Table(
        "renamings",
        (
            _ID,
            _key("planting", is_required=True),
            *_DATED,
            _words("was", 80, "The variety it was taken for until then; empty if unknown.", attr="-"),
            _NOTE,
        ),
        (("planting", "plantings"),),
    ),
    Table(
        "questions",
        (
            _ID,
            Column("name", text(80), is_required=True),
            Column("address", text(2000), is_required=True, about="The question as in its address: compare=…&by=…"),
            _flag("pinned", "is_pinned", "it stands on the front of Weigh up."),
        ),
    ),
    Table(
        "criteria",
        (
            _ID,
            Column("name", text(40), is_required=True),
            Column("weight", number(0, 100), "number", about="How much it counts; empty for 1.", empty=1.0),
        ),
    ),
    Table(
        "scores",
        (
            _ID,
            Column("crop", text(60), is_required=True, attr="-"),
            Column("variety", text(80), is_required=True, attr="-"),
            _key("criterion", is_required=True),
            _count("season", 2200, 1900, is_required=True),
            _count("value", 5, 1, "From 1, poor, to 5, excellent.", is_required=True),
            _words("judge", 40),
            _words("use", 20, "bake, fresh, soup, dry …; empty: in general."),
            _NOTE,
        ),
        (("criterion", "criteria"),),
    ),
    Table(
        "verdicts",
        (
            _ID,
            Column("crop", text(60), is_required=True, attr="-"),
            Column("variety", text(80), is_required=True, attr="-"),
            _count("season", 2200, 1900, is_required=True),
            Column(
                "kind", word(*Verdict.Kind.values), is_required=True, about=f"One of: {', '.join(Verdict.Kind.values)}."
            ),
            _words("reason", 200),
        ),
    ),
    Table(
        "trials",
        (
            _ID,
            Column("name", text(80), is_required=True),
            Column("crop", text(60), is_required=True, attr="-"),
            _count("season", 2200, 1900, is_required=True),
            Column("first", text(40), is_required=True, about="What is compared: variety, or the name of a method."),
            _levels("first_levels", is_required=True),
            _words("second", 40, "A second thing compared at the same time."),
            _levels("second_levels"),
            _words("alike", 400, "What must stay alike."),
            _flag("hidden", "is_blinded", "its results are kept back until all are in."),
            _count("seed", 2**31 - 1, about="Of the draw that laid it out; empty for 0.", empty=0),
        ),
    ),
    Table(
        "trial_units",
        (
            _ID,
            _key("trial", is_required=True),
            _key("place", is_required=True),
            _key("part"),
            _count("number", 100_000, 1, "In the order that one walks past them.", is_required=True),
            _count("block", 100_000, 1, is_required=True),
            Column("first", text(80), is_required=True, about="What chance gave it."),
            _words("second", 80),
            _key("planting"),
        ),
        (("trial", "trials"), ("place", "places"), ("part", "parts"), ("planting", "plantings")),
    ),
    Table(
        "eaters",
        (
            _ID,
            Column("name", text(60), is_required=True),
            Column("appetite", number(0, 20), "number", about="1 is a grown person; empty for 1.", empty=1.0),
        ),
    ),
)


def descriptor(name: str) -> dict[str, Any]:
    """The ``datapackage.json`` of a package (Frictionless Data Package with Table Schemas)."""
    return {
        "profile": "tabular-data-package",
        "name": name,
        "resources": [
            {
                "profile": "tabular-data-resource",
                "name": table.name,
                "path": f"{table.name}.csv",
                "format": "csv",
                "mediatype": "text/csv",
                "encoding": "utf-8",
                "schema": {
                    "fields": [_field(column) for column in table.columns],
                    "primaryKey": "id",
                    "missingValues": [""],
                    "foreignKeys": [
                        {"fields": column, "reference": {"resource": other, "fields": "id"}}
                        for column, other in table.foreign_keys
                    ],
                },
            }
            for table in TABLES
        ],
    }


def _field(column: Column) -> dict[str, Any]:
    field: dict[str, Any] = {"name": column.name, "type": column.field_type}
    if column.about:
        field["description"] = column.about
    if column.is_required:
        field["constraints"] = {"required": True}
    return field
