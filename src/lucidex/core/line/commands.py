"""Words that do something to the page or to the list of steps, and words that say nothing by themselves."""

from lucidex.core.line.parts import Command, CommandPart, DegreePart, FillPart, Found
from lucidex.core.typed_text import in_one_form

_COMMANDS = {
    Command.UNDO: "undo, take back, take it back, undo last step, undo step, go back, cancel, cancel that, take that "
    "back, step back, undo that, undo last, back, revert last",
    Command.REDO: "redo, again, make again, make it again, do it again, repeat",
    Command.CLEAR: "clear, clear all, reset, start over, start again, back to the original, back to original, "
    "revert, undo all, delete all steps, clear steps, remove steps, take all back, undo everything, remove all "
    "steps, restore original, reset all, original",
    Command.ORIGINAL: "original, show original, show the original, compare, before, before and after, before after, "
    "compare "
    "before after, compare before and after, beside, side by side, compare with original, beside the "
    "original, see original, see the original",
    Command.DOWNLOAD: "download, download all, download everything, save, export, get file, download place, "
    "download file, "
    "save file, download it, save picture, save image, download picture, finish",
    Command.ACTUAL: "100 %, actual pixels, 1 : 1 view, 100 % view, zoom 100 %, zoom 100, zoom to 100 %, actual size, "
    "pixel view, real pixels, true pixels, view 100 %",
    Command.WHOLE: "fit, whole, whole picture, fit to screen, fit screen, fit view, zoom out fully, zoom to fit, see "
    "all, show all, fit to window, fit window",
    Command.CLOSER: "zoom in, closer, zoom, look closer, magnify",
    Command.FURTHER: "zoom out, further, look further, further away",
    Command.THIRDS: "thirds, rule of thirds, guides, show guides, grid, show grid, thirds grid",
    Command.NO_GUIDES: "no guides, hide guides, hide grid, no grid, guides off, grid off",
    Command.RESULT: "result, show result, preview, see result, show file",
    Command.HELP: "help, keys, shortcuts, keyboard shortcuts, what can i type, what can i do, commands, keyboard, "
    "hints",
    Command.NOTES: "note, notes, add note, add a note, show notes, remark, remarks, comment, comments, draw on it, "
    "draw on the picture, mark it, pen, highlighter, arrow, write a note",
    Command.HISTORY: "history, show history, changes, all changes, list of changes",
}
COMMANDS: dict[str, tuple[Command, ...]] = {}
for _command, _typed in _COMMANDS.items():
    for _one in map(in_one_form, _typed.split(", ")):
        COMMANDS[_one] = (*COMMANDS.get(_one, ()), _command)

_FILLERS_WORDS = (
    "the a an it this that my me us please picture pictures image images photo photos pic pics file make made "
    "set do apply use want i need should be is are would like can could you for of to with by at on into its "
    "and then as just now all everything let have get give put some also so that's thanks "
    "thank look effect filter style version change convert save export adjust add instead sizes "
    "exact exactly precisely bring limit limited simply only "
    "newsletter blog article poster flyer leaflet brochure shop catalogue intranet "
    "really quite rather website web page site homepage online internet"
)
FILLERS = frozenset(_FILLERS_WORDS.split())
DIVIDERS = frozenset(
    (",", ";", "+", "and", "then", "and then", ", and", ", then", ", and then", "plus", "afterwards", "next")
)
DIVIDERS |= {"also", "and also"}

_DEGREES = {
    0.5: "slightly, slight, a little, little, a bit, bit, a little bit, a touch, a tiny bit, a tad, somewhat, "
    "gently, mildly, subtly, a hint",
    2.0: "much, very, very much, strongly, a lot, lots, far, way, way too, much too, heavily, a great deal, "
    "considerably, drastically, extremely",
}
DEGREES = {words: factor for factor, typed in _DEGREES.items() for words in typed.split(", ")}

_PASSED_OVER_TYPED = (
    "turn into, turn to, turn it into, turn it to, keep proportions, keep aspect ratio, keep the aspect "
    "ratio, keep ratio, proportional, proportionally, height auto, auto height, width auto, auto width, keep "
    "the proportions, with proportions, in proportion"
)
_PASSED_OVER = frozenset(_PASSED_OVER_TYPED.split(", "))


def read_command(words: str) -> list[Found]:
    """The commands that some words mean, the likeliest first."""
    return [Found(CommandPart(command), 0.5 + number / 4) for number, command in enumerate(COMMANDS.get(words, ()))]


def read_fill(words: str) -> list[Found]:
    """Words between things, and words that can be passed over."""
    if (factor := DEGREES.get(words)) is not None:
        return [Found(DegreePart(words, factor), 0.2)]
    if words in DIVIDERS:
        return [Found(FillPart(divides=True), 0.1)]
    return [Found(FillPart(), 0.35)] if words in FILLERS or words in _PASSED_OVER else []
