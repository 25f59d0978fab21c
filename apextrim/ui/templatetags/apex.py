"""Numbers as the product writes them, and what every form carries."""

import secrets

from django import template
from django.urls import reverse
from django.utils.html import format_html
from django.utils.safestring import SafeString

from apexcore.quantities import format_lap, format_number, spread_decimals
from apexcore.quantities.lexicon import LEXICON
from apexcore.vehicle.pair import pair_words
from apextrim.ui.units import current, per_one

register = template.Library()


@register.simple_tag(takes_context=True)
def csrf_token(context: template.Context) -> SafeString:
    """The token against forged forms, as Django's own tag writes it, and beside it the form's own key (`accounts.once`)."""
    token = context.get("csrf_token")
    if not token or token == "NOTPROVIDED":
        return SafeString("")
    return format_html(
        '<input type="hidden" name="csrfmiddlewaretoken" value="{}"><input type="hidden" name="once" value="{}">',
        token, secrets.token_urlsafe(9),
    )  # fmt: skip


#: Where a number comes from, in the three words of the product.
SOURCES = {
    "modelled": "from the vehicle model", "laps": "measured from your laps", "entered": "typed in by you",
    "timing": "measured by the timing",
}  # fmt: skip
_SOURCE_WORDS = {"modelled": "modelled", "laps": "from your laps", "entered": "entered", "timing": "from the timing"}


@register.filter
def lap(value: float | None, decimals: int = 3) -> str:
    """A lap time, `1:13.405`."""
    return "–" if value is None else format_lap(value, decimals)


@register.filter
def num(value: float | None, decimals: int = 0) -> str:
    """A number with this many decimals and a true minus sign."""
    return "–" if value is None else format_number(value, decimals)


@register.filter
def signed(value: float | None, decimals: int = 2) -> str:
    """A difference, always with its sign."""
    return "–" if value is None else format_number(value, decimals, signed=True)


@register.simple_tag
def q(value: object, unit: str, decimals: int = 0, kind: str = "") -> str:
    """A value of the core's unit with its unit, as the reader has both; a dash where there is none.

    :param kind: `signed` for a difference with its sign, `apart` for one without
    """
    if not isinstance(value, float | int):
        return "–"
    return current().text(float(value), unit, decimals, kind == "signed", kind == "apart")


@register.simple_tag
def qn(value: object, unit: str, decimals: int = 0, kind: str = "") -> str:
    """The same without the unit, which stands in the heading."""
    if not isinstance(value, float | int):
        return "–"
    return current().number(float(value), unit, decimals, kind == "signed", kind == "apart")


@register.simple_tag
def tyres(front: str, rear: str, names: dict[str, str]) -> str:
    """What compounds front and rear are called.

    :param names: of the car's compounds, by their keys
    """
    return pair_words(names, front, rear)


@register.simple_tag
def per(value: object, unit: str, decimals: int = 0) -> str:
    """A value for each one of a unit, for each of the reader's."""
    return format_number(per_one(float(value), unit), decimals) if isinstance(value, float | int) else "–"


@register.simple_tag
def qw(value: object, spread: object, unit: str, factor: float = 1.0) -> str:
    """A value with its spread in the reader's unit, without it, rounded to the spread."""
    if not isinstance(value, float | int) or not isinstance(spread, float | int):
        return "–"
    units = current()
    middle, half = units.value(factor * value, unit), units.value(factor * spread, unit, apart=True)
    decimals = spread_decimals(half)
    return f"{format_number(middle, decimals)} ± {format_number(half, decimals)}"


@register.simple_tag
def u(unit: str) -> str:
    """What the reader has for a unit of the core."""
    return current().unit(unit)


@register.simple_tag
def units_mark() -> str:
    """What tells drafts in one set of units from those in another; empty for the units of the core."""
    units = current()
    return "" if units.plain else "-" + "-".join(sorted(units.chosen.values())).replace(" ", "").replace("/", "")


@register.filter
def unit(name: str) -> str:
    """The same as a filter, for what a template hands on."""
    return current().unit(name)


@register.filter
def told(sentence: object) -> str:
    """A sentence of the core with its quantities in the reader's units."""
    return current().told(str(sentence))


@register.filter
def kmh(value: float | None) -> float | None:
    """m/s to km/h."""
    return None if value is None else 3.6 * value


@register.filter
def times(value: float | None, factor: float) -> float | None:
    """The value times a factor."""
    return None if value is None else value * float(factor)


@register.filter
def chance(value: float | None) -> str:
    """A chance that does not claim more than simulation can show."""
    if value is None:
        return "–"
    if value > 0.995:
        return "over 99 %"
    return "under 1 %" if value < 0.005 else f"{100 * value:.0f} %"


@register.simple_tag(takes_context=True)
def source(context: template.Context, kind: str) -> SafeString:
    """The mark that says where a number comes from; of a modelled one also whether the model is calibrated to the laps."""
    words = _SOURCE_WORDS[kind]
    if kind == "modelled" and getattr(context.get("event"), "calibration", None):
        words += ", calibrated"
    return format_html('<span class="source source-{}" title="{}">{}</span>', kind, SOURCES[kind], words)


@register.simple_tag
def change(value: float, spread: float = 0.0, unit: str = "s", how: str = "") -> SafeString:
    """A lap time difference with sign, words and the colour of gain or loss, rounded to its spread, which follows it. Inside
    its spread a difference is none that can be seen.

    :param how: `quiet` where that is said once for the whole table, beside it
    """
    decimals = spread_decimals(spread)
    text = format_number(value, decimals, signed=True)
    rest = format_html(' <span class="said soft num">± {}</span>', format_number(spread, decimals)) if spread else ""
    if float(f"{value:.{decimals}f}") == 0 or abs(value) <= spread:
        return format_html('<span class="num">{} {}</span> <span class="said">no difference seen</span>{}', text, unit, rest)
    word, css = ("quicker", "gain") if value < 0 else ("slower", "loss")
    return format_html('<span class="num {}">{} {}</span> <span class="said {}">{}</span>{}', css, text, unit, css, word, rest)


@register.simple_tag
def within(value: object, spread: object, factor: float = 1.0) -> str:
    """A value with its spread, rounded to it; a dash where a template found none."""
    if not isinstance(value, float) or not isinstance(spread, float):
        return "–"
    decimals = spread_decimals(factor * spread)
    return f"{format_number(factor * value, decimals)} ± {format_number(factor * spread, decimals)}"


@register.simple_tag
def term(key: str, words: str = "") -> SafeString:
    """A word of the field with its sentence behind it, by pointer, key and click.

    :param words: as it stands on the page; the word itself if empty
    """
    of = LEXICON[key]
    address = f"{reverse('glossary')}#{of.key}"
    return format_html('<a class="term" href="{}" title="{} More of it: {}">{}</a>', address, of.meaning, of.more, words or of.name)


@register.simple_tag
def offby(share: float, ideal: float) -> SafeString:
    """How far a brake bias is from its ideal, in words."""
    off = 100 * (share - ideal)
    text = format_number(off, 1, signed=True)
    word = "axles lock together" if abs(off) < 0.5 else ("front locks first" if off > 0 else "rear locks first")
    return format_html('{} % <span class="said">{}</span>', text, word)
