"""Any step with any parameters, drawn from the schemas that the steps declare."""

from typing import Any

from hypothesis import strategies as st
from pydantic import TypeAdapter, ValidationError

from lucidex.core.steps import AnyStep
from lucidex.core.steps.base import Step

_ADAPTER: TypeAdapter[Step] = TypeAdapter(AnyStep)
_SCHEMA = _ADAPTER.json_schema()


def _of(schema: dict[str, Any]) -> st.SearchStrategy[Any]:
    if "$ref" in schema:
        return _of(_SCHEMA["$defs"][schema["$ref"].split("/")[-1]])
    for choice in ("oneOf", "anyOf"):
        if choice in schema:
            return st.one_of([_of(option) for option in schema[choice]])
    if "const" in schema:
        return st.just(schema["const"])
    if "enum" in schema:
        return st.sampled_from(schema["enum"])
    if "prefixItems" in schema:
        return st.tuples(*(_of(item) for item in schema["prefixItems"])).map(list)
    kinds = {
        "null": lambda: st.none(),
        "boolean": lambda: st.booleans(),
        "string": lambda: st.from_regex(schema["pattern"], fullmatch=True) if "pattern" in schema else st.text(),
        "integer": lambda: st.integers(schema.get("minimum", -(10**6)), schema.get("maximum", 10**6)),
        "number": lambda: st.floats(
            schema.get("minimum", schema.get("exclusiveMinimum", -1e6)),
            schema.get("maximum", 1e6),
            exclude_min="exclusiveMinimum" in schema,
        ),
        "array": lambda: _list_of(schema),
        "object": lambda: st.fixed_dictionaries({key: _of(value) for key, value in schema["properties"].items()}),
    }
    return kinds[schema["type"]]()


def _list_of(schema: dict[str, Any]) -> st.SearchStrategy[Any]:
    items = schema.get("items", {"type": "number"})
    least = schema.get("minItems", 0)
    drawn = st.lists(_of(items), min_size=least, max_size=max(least, min(schema.get("maxItems", 6), 12)))
    # points of a curve go from left to right
    return drawn.map(sorted) if "prefixItems" in items else drawn


def _possible(values: Any) -> Step | None:
    """The step, or None where its own rules forbid values that the limits of each field allow."""
    try:
        return _ADAPTER.validate_python(values)
    except ValidationError:
        return None


any_step: st.SearchStrategy[Step] = _of(_SCHEMA).map(_possible).filter(lambda step: step is not None)
