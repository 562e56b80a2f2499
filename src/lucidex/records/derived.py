"""Derived sources, kept beside the originals that they are made from, link by link.

A link is a folder: all levels where the whole picture changed, or a changed box. A level of a chain is the nearest
whole one before it, mapped so that what is written stays with this process, with the changed boxes laid over: only
the pages that they touch take memory.
"""

import mmap
import shutil
import threading
from collections import OrderedDict
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path

import numpy as np
from cachetools import LRUCache

from lucidex.core.keys import restoration_keys
from lucidex.core.source.derivation import LocalChange, Restoration, StoredPixels, aligned, laid_over
from lucidex.core.source.facts import SourceFacts
from lucidex.core.source.pyramid import AnyPixels
from lucidex.records.changed_boxes import (
    ChangedBox,
    is_changed_box,
    level_path,
    level_shape,
    read_changed_box,
    write_changed_box,
    write_levels,
)
from lucidex.records.decoded import DecodedStore

WHOLE_FROM_SHARE = 1 / 4  # of the picture: what changes more is kept as a whole
REMEMBERED_BYTES = 32_000_000  # of small boxes, which are laid over again and again
OVERLAID_KEPT = 48  # levels: each holds a file, also one that was let go meanwhile
OVERLAID_BYTES = 200_000_000  # of pages that boxes touch, of all levels that are kept laid over


class DerivedStore:
    """What chains of restorations make of originals whose pixels a decoded store has."""

    def __init__(self, decoded: DecodedStore) -> None:
        self._decoded = decoded
        decoded.when_dropped = self.forget
        self._overlaid: OrderedDict[tuple[str, int], tuple[AnyPixels, int]] = OrderedDict()
        self._boxes: LRUCache[tuple[str, int], ChangedBox] = LRUCache(REMEMBERED_BYTES, lambda one: one.weight + 200)
        self._lock = threading.Lock()
        self._making: dict[str, tuple[threading.Lock, int]] = {}
        self._whole = threading.Lock()  # one whole picture at a time: each holds much of it

    def level(self, name: str, facts: SourceFacts, restorations: tuple[Restoration, ...], number: int) -> AnyPixels:
        """A level after a chain of restorations, never written to. FileNotFoundError where the original's levels are
        not here."""
        links = [f"{name}-{key}" for key in restoration_keys(restorations)]
        held = self._held((links[-1], number))
        if held is not None:
            return held
        for index, (link, restoration) in enumerate(zip(links, restorations, strict=True)):
            if not self._decoded.holds(link):
                with self._making_of(link):
                    if not self._decoded.holds(link):
                        before = facts.after(restorations[:index])
                        self._make(link, [name, *links[:index]], before, restoration)
        return self._laid_over([name, *links], facts.after(restorations), number)

    def _held(self, key: tuple[str, int]) -> AnyPixels | None:
        """A level with its boxes laid over that is still in memory."""
        with self._lock:
            held = self._overlaid.get(key)
            if held is None:
                return None
            self._overlaid.move_to_end(key)
            return held[0]

    def forget(self, name: str) -> None:
        """Keep nothing in memory that was made of a name."""
        with self._lock:
            for key in [key for key in self._overlaid if key[0].startswith(name)]:
                del self._overlaid[key]
            for key in [key for key in self._boxes if key[0].startswith(name)]:
                del self._boxes[key]

    def _laid_over(self, chain: Sequence[str], facts: SourceFacts, number: int) -> AnyPixels:
        """A level of the last link of a chain, whose links are all here; `facts` are those of the last one.

        What adds alpha is whole, so that boxes lie on levels of their own kind.
        """
        boxes: list[Path] = []
        for name in reversed(chain):
            folder = self._decoded.folder(name)
            if not is_changed_box(folder):
                break
            boxes.append(folder)
        if not boxes:
            return self._decoded.level(name, facts, number)
        self._decoded.level(name, facts, number)  # that it is whole, and was used
        level = np.memmap(
            level_path(self._decoded.folder(name), number),
            dtype=facts.layout.number_type,
            mode="c",  # what is written here is seen by nobody else, and kept nowhere
            shape=level_shape(facts, number),
        ).view(np.ndarray)
        touched = 0  # bytes of the pages that the rows of boxes lie on
        for folder in reversed(boxes):
            changed = self._changed_box(folder, facts, number)
            if changed is not None:
                laid_over(level, changed.box, changed.pixels)
                touched += changed.box.size.height * (changed.weight // changed.box.size.height + mmap.PAGESIZE)
            self._decoded.used(folder.name)
        level.flags.writeable = False
        self._keep_overlaid((chain[-1], number), level, touched)
        return level

    def _changed_box(self, folder: Path, facts: SourceFacts, number: int) -> ChangedBox | None:
        """What a link holds of a level; those that are small are remembered."""
        key = (folder.name, number)
        with self._lock:
            held = self._boxes.get(key)
        if held is not None:
            return held
        try:
            found = read_changed_box(folder, facts, number)
        except (FileNotFoundError, ValueError) as error:
            self._decoded.drop(folder.name)  # a part of it is of no use; made anew when it is asked for again
            raise FileNotFoundError(folder.name) from error
        if found is not None and found.weight <= REMEMBERED_BYTES / 100:
            with self._lock:
                self._boxes[key] = found
        return found

    def _keep_overlaid(self, key: tuple[str, int], level: AnyPixels, weight: int) -> None:
        with self._lock:
            self._overlaid[key] = (level, weight)
            total = sum(held for _, held in self._overlaid.values())
            while (total > OVERLAID_BYTES or len(self._overlaid) > OVERLAID_KEPT) and len(self._overlaid) > 1:
                total -= self._overlaid.popitem(last=False)[1][1]

    def _make(self, link: str, before: Sequence[str], facts: SourceFacts, restoration: Restoration) -> None:
        parent = self._held((before[-1], 1))
        parent = self._laid_over(before, facts, 1) if parent is None else parent
        stored = StoredPixels(parent, facts.orientation, facts.profile)
        folder = self._decoded.scratch_folder()
        try:
            if isinstance(restoration, LocalChange) and not _is_large(restoration, facts):
                changed = restoration.box(facts.stored, facts.orientation)
                box = None if changed is None else aligned(changed, facts.stored)
                pixels = stored.pixels[:0] if box is None else stored.part(box).copy()
                if box is not None and changed is not None:
                    top, left = changed.top - box.top, changed.left - box.left
                    inside = pixels[top : top + changed.size.height, left : left + changed.size.width]
                    inside[:] = restoration.pixels(stored, changed)
                write_changed_box(folder, facts, box, pixels)
            else:
                with self._whole:
                    after = facts.after((restoration,))
                    write_levels(folder, after, _letting_go(stored.pixels, restoration.strips(stored)))
            self._decoded.keep(link, folder)
        finally:
            shutil.rmtree(folder, ignore_errors=True)  # where another process was first, or it was not finished

    @contextmanager
    def _making_of(self, link: str) -> Iterator[None]:
        """One at a time makes a link; others are made meanwhile."""
        with self._lock:
            lock, waiting = self._making.get(link, (threading.Lock(), 0))
            self._making[link] = (lock, waiting + 1)
        try:
            with lock:
                yield
        finally:
            with self._lock:
                lock, waiting = self._making.pop(link)
                if waiting > 1:
                    self._making[link] = (lock, waiting - 1)


def _letting_go(mapped: AnyPixels, strips: Iterator[AnyPixels]) -> Iterator[AnyPixels]:
    """The strips; the pages of a mapped level that were read for them are given back, so that it never stands in
    memory as a whole. What was laid over a level belongs to this process alone and is kept."""
    base = mapped.base
    for strip in strips:
        yield strip
        if isinstance(base, np.memmap) and base.mode == "r":
            base._mmap.madvise(mmap.MADV_DONTNEED)  # type: ignore[attr-defined]


def _is_large(change: LocalChange, facts: SourceFacts) -> bool:
    box = change.box(facts.stored, facts.orientation)
    return box is not None and box.size.pixels > facts.stored.pixels * WHOLE_FROM_SHARE
