"""Finished files: each computed by one holder at a time, kept under the key of all that decides its bytes.

What a file is made from (`RenderRequest.made_from`, the same without texts) is made before it is claimed: nothing is
held while somebody else is waited for.
"""

import logging
import threading
import time
from collections.abc import Sequence
from concurrent.futures import ThreadPoolExecutor
from contextvars import copy_context
from dataclasses import replace

from lucidex.core.cancellation import check_wanted
from lucidex.core.encode.passing import passed
from lucidex.core.errors import UnavailableError, UnforeseenError, UserError
from lucidex.core.picture.colour import in_8_bits
from lucidex.core.proof.statistics import PixelStatistics
from lucidex.core.proof.warnings import looked_at
from lucidex.core.stamp import stamped
from lucidex.records.models import Result
from lucidex.services.house.workshop import Workshop
from lucidex.services.rendering.composing import Composer, written
from lucidex.services.rendering.leases import leases_kept
from lucidex.services.rendering.references import References
from lucidex.services.rendering.render_requests import RenderRequest
from lucidex.services.rendering.results import (
    OnStored,
    StoredResult,
    claim,
    done_or_mine,
    free,
    record,
    stored_results,
)

_log = logging.getLogger(__name__)
MAX_WAITED_S = 150.0
FIRST_WAIT_S, LONGEST_WAIT_S = 0.03, 0.5


class Files:
    """Makes finished files and finds those that are there."""

    def __init__(self, workshop: Workshop, composer: Composer, references: References, files_at_once: int) -> None:
        self._workshop, self._composer, self._references = workshop, composer, references
        self._slots = threading.BoundedSemaphore(files_at_once)
        self._underway: dict[str, threading.Event] = {}  # files that this process computes, by their keys

    def content(self, result: StoredResult) -> bytes:
        """The bytes of a finished file."""
        return self._workshop.results.read(result.blob_sha256)

    def render_file(
        self, rendering: RenderRequest, on_stored: OnStored | None = None, holder: str = ""
    ) -> StoredResult:
        """The finished file, computed unless it is in the store already.

        `on_stored` writes down what it was made for, in the transaction that says it is there. `holder` names who
        computes it, so that others can free what it held where it is gone. What it is made from is made before it is
        claimed: nothing is held while waiting for somebody else.
        """
        key, holder = rendering.key, holder or self._workshop.new_holder()
        if rendering.made_from is not None and key not in self.known([rendering]):
            self.render_file(rendering.made_from, holder=holder)
        deadline, looks = time.monotonic() + MAX_WAITED_S, 0
        while True:
            check_wanted()
            if time.monotonic() > deadline:
                raise UnavailableError("Somebody else's computer is still at this file. Try again in a minute.")
            done, mine = done_or_mine(self._workshop, key, holder, on_stored)
            if done is not None:
                return done
            made = self._render_as(holder, key, rendering, on_stored) if mine else None
            if made is not None:
                return made
            self._wait(key, looks)
            looks += 1

    def known(self, renderings: Sequence[RenderRequest]) -> dict[str, StoredResult]:
        """The finished files that are in the store already, by their keys; asked for together."""
        with self._workshop.database.begin() as session:
            return stored_results(session, self._workshop.results, [one.key for one in renderings])

    def render_together(self, renderings: Sequence[RenderRequest]) -> dict[str, StoredResult | UserError]:
        """Several finished files, by their keys: leased, computed and recorded together, two at a time.

        What others are made from comes first. One that cannot be made is told apart by its error. What somebody else
        computes is waited for, and nothing is held meanwhile.
        """
        asked = {one.key: one for one in renderings}
        found: dict[str, StoredResult | UserError] = {**self.known([*asked.values()])}
        missing = {key: one for key, one in asked.items() if key not in found}
        bases = {base.key: base for one in missing.values() if (base := one.made_from) is not None}
        if bases:
            alone = {key: one for key, one in missing.items() if one.made_from is None}
            made = self.render_together([*(alone | bases).values()])
            found |= {key: made[key] for key in alone}
            for key, one in missing.items():
                if one.made_from is not None and isinstance(failed := made[one.made_from.key], UserError):
                    found[key] = failed
        return found | self._made_side_by_side({key: one for key, one in missing.items() if key not in found})

    def _wait(self, key: str, looks: int) -> None:
        """Until it may be there: at once where this process computes it, else longer after each look in vain."""
        underway = self._underway.get(key)
        if underway is not None:
            underway.wait(LONGEST_WAIT_S)
        else:
            time.sleep(min(FIRST_WAIT_S * 1.5**looks, LONGEST_WAIT_S))

    def _made_side_by_side(self, asked: dict[str, RenderRequest]) -> dict[str, StoredResult | UserError]:
        """Files of which none is made from another, and of which nobody knew that they are there."""
        holder = self._workshop.new_holder()
        with self._workshop.database.begin() as session:
            mine = claim(session, [*asked], holder)
        found = self._computed_together(holder, [asked[key] for key in asked if key in mine])
        with self._workshop.database.begin() as session:
            for key, result in [*found.items()]:
                if not isinstance(result, StoredResult):
                    free(session, Result.key_sha256 == key, Result.holder == holder)
                elif not record(session, holder, result, asked[key].source_key.original):
                    del found[key]  # somebody took it over
        for key, one in asked.items():
            if key not in found:
                try:
                    found[key] = self.render_file(one)
                except UserError as error:
                    found[key] = error
        return found

    def _computed_together(self, holder: str, renderings: list[RenderRequest]) -> dict[str, StoredResult | UserError]:
        def made(rendering: RenderRequest) -> StoredResult | UserError:
            try:
                return self._computed(rendering)
            except UserError as error:
                return error
            except Exception as error:  # noqa: BLE001 - it ends this file and not the others
                _log.exception("result %s", rendering.key)
                return UnforeseenError(f"{type(error).__name__} while it was made; the log says more.")

        if not renderings:
            return {}
        events = {one.key: threading.Event() for one in renderings}
        self._underway.update(events)
        try:
            with leases_kept(self._workshop, holder), ThreadPoolExecutor(2) as pool:
                contexts = [copy_context() for _ in renderings]
                done = list(pool.map(lambda context, one: context.run(made, one), contexts, renderings))
        except BaseException:
            with self._workshop.database.begin() as session:
                free(session, Result.holder == holder)
            raise
        finally:
            for key, event in events.items():
                self._underway.pop(key, None)
                event.set()
        return {one.key: result for one, result in zip(renderings, done, strict=True)}

    def _render_as(
        self, holder: str, key: str, rendering: RenderRequest, on_stored: OnStored | None
    ) -> StoredResult | None:
        """The file, computed and recorded; None where somebody took it over meanwhile."""
        self._underway[key] = ended = threading.Event()
        try:
            with leases_kept(self._workshop, holder):
                return self._render_held(holder, key, rendering, on_stored)
        finally:
            self._underway.pop(key, None)
            ended.set()

    def _render_held(
        self, holder: str, key: str, rendering: RenderRequest, on_stored: OnStored | None
    ) -> StoredResult | None:
        try:
            result = self._computed(rendering)
        except BaseException:
            with self._workshop.database.begin() as session:
                free(session, Result.key_sha256 == key, Result.holder == holder)
            raise
        with self._workshop.database.begin() as session:
            if not record(session, holder, result, rendering.source_key.original):
                return None  # what would be noted has no row yet: whoever took it over writes that
            if on_stored is not None:
                on_stored(session, result)
        return result

    def _computed(self, rendering: RenderRequest) -> StoredResult:
        """Computed and in the store, not yet recorded."""
        base = rendering.made_from
        if base is None:
            content, statistics = self._content(rendering)
        else:
            content, statistics = self._content_of(base)
            content = stamped(content, rendering.format, rendering.stamp)
        return StoredResult(self._workshop.results.put(content), len(content), rendering.key, statistics)

    def _content(self, rendering: RenderRequest) -> tuple[bytes, PixelStatistics | None]:
        with self._slots, self._workshop.heavy(rendering.chosen.placement.canvas.pixels):
            return self._compute(rendering)

    def _content_of(self, base: RenderRequest) -> tuple[bytes, PixelStatistics | None]:
        """What another result is made from. It was made before; where it is gone already, nobody is waited for."""
        known = self.known([base]).get(base.key)
        if known is None:
            return self._content(base)
        return self.content(known), known.statistics

    def _compute(self, rendering: RenderRequest) -> tuple[bytes, PixelStatistics]:
        """The encoded bytes of what is asked for, and how it looks."""
        made = self._composer.composition(rendering)
        pixels = in_8_bits(made.image).numpy()
        if rendering.passage is not None:
            original = self._workshop.originals.read(rendering.source_key.original)
            return passed(original, rendering.passage), looked_at(pixels)
        file = written(made.image, rendering)
        statistics = replace(looked_at(pixels), findings=made.findings)
        is_searched = rendering.encoding.max_bytes is not None and file.quality is not None
        if is_searched or rendering.format.output.has_few_colours:
            likeness = self._references.likeness(file.content, rendering)
            statistics = replace(statistics, likeness=likeness, quality=file.quality)
        return file.content, statistics
