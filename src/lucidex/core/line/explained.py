"""Things that people ask for in the line and that are done elsewhere, or otherwise: each with a sentence."""

from lucidex.core.typed_text import in_one_form

_SENTENCES = {
    "fill the corners, fill corners, white corners, corners white, keep the corners, corners clear, clear corners": (
        "What becomes of the corners is chosen in the step Straighten, at the word “corners”. Type straighten first."
    ),
    "copy steps to others, copy steps, apply to all, apply to others, put on others, put on all, same for all, do "
    "the same to all, batch, on all pictures, for all pictures, all pictures, copy to others, use on others, "
    "apply to all pictures, to all": "“Put on others”, below the steps, puts these steps on other pictures.",
    "rename, name, file name, change name, change the name, rename file": (
        "The name stands at the top, above the stage: click on it and type."
    ),
    "share, send, mail it, send it, publish, upload": (
        "A folio is shared on its own page, Gather, under “Who sees this folio”."
    ),
    "delete, delete picture, remove picture, take out, throw away, bin, trash": (
        "Pictures are taken out of a folio on its own page, Gather."
    ),
    "cut out, cut it out, cut out person, isolate, isolate subject, remove person, remove people, remove object, "
    "remove car, erase object": (
        "Nothing cuts out by what it is. “remove background” clears a plain ground, “mend” closes what is small."
    ),
    "translate, write alt text, alt text, alternative text, describe, describe it": (
        "Texts are written on the folio's page, Gather, with the picture selected."
    ),
    "new folio, open, open file, new, import, add picture, bring in": (
        "Pictures are brought in on the folio's page, Gather."
    ),
}
EXPLAINED = {in_one_form(one): sentence for typed, sentence in _SENTENCES.items() for one in typed.split(", ")}
