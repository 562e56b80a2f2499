"""One thing is one file and one registration: nothing stands unregistered, and everything derived knows it."""

import pkgutil
import re
from importlib import import_module
from types import ModuleType

import pytest

from lucidex import core
from lucidex.core import encode, steps
from lucidex.core.encode import FORMATS, TYPED_NAMES, FormatName, OutputFormat
from lucidex.core.line.places import read_demand
from lucidex.core.places import measures
from lucidex.core.places.measures import ALL_MEASURES, MEASURES_BY_NAME, Measure
from lucidex.core.places.output_id import OutputId
from lucidex.core.proof import warnings
from lucidex.core.proof.warnings import WARNINGS, ProofWarning
from lucidex.core.source import formats
from lucidex.core.source.formats import FORMATS as SOURCE_FORMATS
from lucidex.core.source.formats import READABLE, SourceFormat, format_of
from lucidex.core.steps import ALL_STEPS
from lucidex.core.steps.base import Step
from lucidex.core.steps.pointwise import POINTWISE_STEPS


def modules_of(package: ModuleType) -> list[ModuleType]:
    return [import_module(f"{package.__name__}.{one.name}") for one in pkgutil.iter_modules(package.__path__)]


def defined(package: ModuleType, base: type) -> set[type]:
    """Classes of a kind, with a name of their own, that a package's files define."""
    found = (thing for module in modules_of(package) for thing in vars(module).values())
    return {one for one in found if isinstance(one, type) and issubclass(one, base)}


def declared(package: ModuleType, kind: type) -> set[int]:
    """Things of a kind that a package's files declare."""
    return {id(one) for module in modules_of(package) for one in vars(module).values() if isinstance(one, kind)}


def test_every_step_is_registered_once() -> None:
    written = {one for one in defined(steps, Step) if "default" in str(one.model_fields["kind"]) and one is not Step}
    named = {one for one in written if isinstance(one.model_fields["kind"].default, str)}
    assert named == set(ALL_STEPS)
    assert len({one.model_fields["kind"].default for one in ALL_STEPS}) == len(ALL_STEPS)
    assert set(POINTWISE_STEPS) <= set(ALL_STEPS)


def test_every_measure_is_registered_once() -> None:
    written = {one for one in defined(measures, Measure) if one is not Measure}
    assert written == set(ALL_MEASURES) == set(MEASURES_BY_NAME.values())


def test_every_format_that_is_written_is_registered_and_typed() -> None:
    written = {
        id(one) for module in modules_of(encode) for one in vars(module).values() if isinstance(one, OutputFormat)
    }
    assert written == {id(one) for one in FORMATS}
    for typed, name in TYPED_NAMES.items():
        assert read_demand(f"100x100 as {typed.upper()}").format == name


def test_every_format_that_is_read_is_registered_and_told_apart() -> None:
    assert declared(formats, SourceFormat) == {id(one) for one in SOURCE_FORMATS}
    heads = [(one, mark.rjust(at + len(mark), b"\0")) for one in SOURCE_FORMATS for mark, at in one.signatures]
    assert all(format_of(head) is one for one, head in heads)
    assert all(one.name in READABLE for one in SOURCE_FORMATS)


def test_every_warning_is_registered_and_says_why() -> None:
    written = {
        id(one) for module in modules_of(warnings) for one in vars(module).values() if isinstance(one, ProofWarning)
    }
    assert written == {id(one) for one in WARNINGS}
    assert len({one.kind for one in WARNINGS}) == len(WARNINGS)
    assert all(one.reason.endswith(".") and re.fullmatch("[a-z][a-z ]+", one.kind) for one in WARNINGS)
    kinds = [one.kind for one in WARNINGS]
    for one in WARNINGS:
        assert one.unless <= set(kinds[: kinds.index(one.kind)]), "what it gives way to is looked for before it"


@pytest.mark.parametrize("text", ["1", "12.webp", "12-3", "999999999999999999-1.avif"])
def test_an_output_is_its_text(text: str) -> None:
    output = OutputId(text)
    assert output == text
    assert OutputId.of(output.place, output.format, output.part) == text


@pytest.mark.parametrize("text", ["", "x", "1.bmp", "1.", "1-", "-1", "1.webp.webp", " 1", "1\n", "1" * 19])
def test_what_names_no_output_is_refused(text: str) -> None:
    with pytest.raises(ValueError, match=r"names no output|no format"):
        OutputId(text)
    with pytest.raises(ValueError, match="no format"):
        FormatName(text)


def test_no_exported_name_hides_a_module_of_the_core() -> None:
    """`from lucidex.core import encode` is the folder: a function of that name at the top would stand before it."""
    names = [one.name for one in pkgutil.iter_modules(core.__path__) if import_module(f"lucidex.core.{one.name}")]
    hidden = [name for name in names if not isinstance(getattr(core, name), ModuleType)]
    assert hidden == []
