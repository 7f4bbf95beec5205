"""Wording is text with places for a product's fields. It is written as sandboxed Jinja templates,
which cannot reach anything outside.

Only what wording needs is allowed: fields of the product, conditions, one loop at a time and a few
filters; no calls, no arithmetic, no imports. A place that the product cannot fill is reported; it
is never printed empty.
"""

from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import lru_cache
from typing import Any

from jinja2 import TemplateError, Undefined, nodes
from jinja2.sandbox import ImmutableSandboxedEnvironment

from relvan.core.refusal import Refusal, Refused, refuse

MOST_TEMPLATE = 20_000
MOST_RESULT = 60_000
PRODUCT_FIELDS = ("sku", "title", "brand", "description", "gtin", "category", "weight_g")
FILTERS = (
    "upper",
    "lower",
    "capitalize",
    "title",
    "trim",
    "default",
    "d",
    "first",
    "last",
    "join",
    "length",
    "items",
    "truncate",
    "replace",
)
_ALLOWED = (
    nodes.Template,
    nodes.Output,
    nodes.TemplateData,
    nodes.Name,
    nodes.Getattr,
    nodes.Getitem,
    nodes.Const,
    nodes.Filter,
    nodes.If,
    nodes.CondExpr,
    nodes.Compare,
    nodes.Operand,
    nodes.And,
    nodes.Or,
    nodes.Not,
    nodes.Concat,
    nodes.Test,
    nodes.For,
    nodes.Tuple,
    nodes.Keyword,
)
_NAMES = ("loop",)


class TooLong(Exception):
    """Raised when a filter makes more text than any channel takes."""


@dataclass(frozen=True)
class Written:
    """The finished text, and the names of the places that the product cannot fill."""

    text: str
    missing: tuple[str, ...] = ()


@dataclass
class _Reports:
    names: list[str] = field(default_factory=list)


class _Fields(Mapping[str, Any]):
    """Fields by name without regard to case; an empty field counts as missing. Templates see no
    methods."""

    def __init__(self, name: str, values: Mapping[str, Any], reports: _Reports) -> None:
        self.name, self.reports = name, reports
        self._values = {
            key.casefold(): value for key, value in values.items() if value not in ("", None)
        }
        self._shown = {key: value for key, value in values.items() if value not in ("", None)}

    def __getitem__(self, key: str) -> Any:
        return self._values[key.casefold()]

    def __iter__(self) -> Any:
        return iter(self._shown)

    def __len__(self) -> int:
        return len(self._shown)

    def __str__(self) -> str:
        self.reports.names.append(self.name)
        return ""


class _Unsaid(Undefined):
    """A name without a value. In conditions it counts as false, as Jinja has it; when it is
    printed, it is reported."""

    __slots__ = ("reports",)

    def __init__(self, *values: Any, **named: Any) -> None:
        super().__init__(*values, **named)
        self.reports: _Reports | None = None  # a name that is none of the places is told beforehand

    def __str__(self) -> str:
        if self.reports is not None:
            self.reports.names.append(str(self._undefined_name))
        return ""

    __html__ = __str__


class _Sandbox(ImmutableSandboxedEnvironment):
    def getattr(self, obj: Any, attribute: str) -> Any:
        return self.getitem(obj, attribute)

    def getitem(self, obj: Any, argument: Any) -> Any:
        if isinstance(obj, _Fields) and isinstance(argument, str):
            try:
                return obj[argument]
            except KeyError:
                return _unsaid(f"{obj.name}.{argument}", obj.reports)
        if isinstance(obj, _Unsaid):
            return obj
        if (
            isinstance(obj, str | tuple | list)
            and isinstance(argument, int)
            and -len(obj) <= argument < len(obj)
        ):
            return obj[argument]
        return _unsaid(str(argument), _Reports())


def _unsaid(name: str, reports: _Reports) -> _Unsaid:
    found = _Unsaid(name=name)
    found.reports = reports
    return found


def _limited(name: str, plain: Any) -> Any:
    """Limits a filter to texts that are not longer than any channel takes."""
    passed = getattr(plain, "jinja_pass_arg", None)
    first = 1 if passed is not None else 0

    def run(*values: Any, **named: Any) -> Any:
        given = values[first:]
        if name == "replace" and len(str(given[0])) * (len(str(given[2])) + 1) > 100 * MOST_RESULT:
            raise TooLong
        if (
            name == "join"
            and len(given) > 1
            and len(str(given[1])) * (len(given[0]) + 1) > 100 * MOST_RESULT
        ):
            raise TooLong
        found = plain(*values, **named)
        if isinstance(found, str) and len(found) > MOST_RESULT:
            raise TooLong
        return found

    if passed is not None:
        run.jinja_pass_arg = passed  # type: ignore[attr-defined]
    return run


def _make_sandbox() -> _Sandbox:
    sandbox = _Sandbox(autoescape=False, undefined=_Unsaid, trim_blocks=True, lstrip_blocks=True)
    sandbox.filters = {name: _limited(name, sandbox.filters[name]) for name in FILTERS}
    sandbox.globals.clear()
    return sandbox


_SANDBOX = _make_sandbox()


def is_wording(text: str) -> bool:
    """Says whether a text has places for fields."""
    return "{{" in text or "{%" in text or "{#" in text


def check_wording(text: str, field_name: str = "") -> list[Refusal]:
    """Checks that a text is wording that can be used: it can be read, and it contains only what is
    allowed.

    >>> check_wording("{{ product.title }}, {{ attributes.glaze }}")
    []
    >>> check_wording("{{ product.__class__ }}")[0].code
    'wording'
    """
    if len(text) > MOST_TEMPLATE:
        message = f"Wording must have at most {MOST_TEMPLATE:,} characters; it has {len(text):,}."
        return [Refusal("too-long", message, "Shorten it.", field_name)]
    try:
        tree = _SANDBOX.parse(text)
    except (TemplateError, RecursionError) as error:
        message = f"The wording cannot be read: {error}"
        return [Refusal("wording", message[:300], "Look at its braces.", field_name)]
    said = _strange(tree, loops=0)
    if said:
        fix = "Use fields, conditions and simple loops only."
        return [Refusal("wording", f"Wording may not use {said}.", fix, field_name)]
    return []


def _strange(node: nodes.Node, loops: int) -> str:
    """Returns what is not allowed in a template, in words; "" when all is allowed."""
    if not isinstance(node, _ALLOWED):
        return f"“{type(node).__name__.lower()}”"
    if isinstance(node, nodes.Filter) and node.name not in FILTERS:
        return f"the filter “{node.name}”"
    if isinstance(node, nodes.Test) and node.name not in ("defined", "undefined"):
        return f"the test “{node.name}”"
    if isinstance(node, nodes.Getattr | nodes.Getitem):
        name = node.attr if isinstance(node, nodes.Getattr) else getattr(node.arg, "value", None)
        if not isinstance(name, str | int) or str(name).startswith("_"):
            return "names that begin with “_” or are worked out"
    if isinstance(node, nodes.Name) and node.name.startswith("_"):
        return "names that begin with “_”"
    if isinstance(node, nodes.For):
        loops += 1
        if loops > 1 or node.recursive:
            return "a loop within a loop"
    return next((said for child in node.iter_child_nodes() if (said := _strange(child, loops))), "")


@lru_cache(maxsize=1_024)
def _compiled(text: str) -> Any:
    refusals = check_wording(text)
    if refusals:
        raise refuse(refusals[0].code, refusals[0].message, refusals[0].fix)
    return _SANDBOX.from_string(text)


def write(
    text: str, product: Mapping[str, Any], attributes: Mapping[str, str], family: Mapping[str, Any]
) -> Written:
    """Returns the wording with a product's fields in their places. Wording that cannot be used is
    refused.

    >>> write("{{ product.title }} in {{ attributes.Glaze }}", {"title": "Pot"}, {}, {})
    Written(text='Pot in', missing=('attributes.Glaze',))
    """
    return fill(text, {"product": product, "attributes": attributes, "family": family})


def fill(text: str, values: Mapping[str, Any]) -> Written:
    """Returns wording with values in their places. `values` are fields by the name of their group;
    a group may also be a list of them, for a loop.

    >>> fill("{% for line in lines %}{{ line.sku }} {% endfor %}", {"lines": [{"sku": "A"}]}).text
    'A'
    """
    if not is_wording(text):
        return Written(text)
    reports = _Reports()
    places = {name: _place(name, held, reports) for name, held in values.items()}
    try:
        found = str(_compiled(text).render(places))
    except Refused:
        raise
    except (
        Exception
    ) as error:  # whatever a wording does wrong is told about it, and stops nothing else
        return Written("", (f"what it asks for ({str(error)[:80] or type(error).__name__})",))
    unknown = [name for name in _names_outside(text) if name not in places]
    if len(found) > MOST_RESULT:
        return Written("", ("a shorter text",))
    return Written(found.strip(), tuple(dict.fromkeys([*reports.names, *unknown])))


def _place(name: str, held: Any, reports: _Reports) -> Any:
    if isinstance(held, Mapping):
        return _Fields(name, held, reports)
    return tuple(_Fields(name.removesuffix("s"), one, reports) for one in held)


@lru_cache(maxsize=1_024)
def _names_outside(text: str) -> tuple[str, ...]:
    """Returns the names that are printed though no place has such a name."""
    tree = _SANDBOX.parse(text)
    bound = {name.name for name in tree.find_all(nodes.Name) if name.ctx == "store"}
    known = {*_NAMES, *bound}
    return tuple(
        dict.fromkeys(name.name for name in tree.find_all(nodes.Name) if name.name not in known)
    )
