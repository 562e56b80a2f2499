"""Where a line of words may be broken: where Unicode allows it, and within words that no line could hold.

Pango breaks between words that stand apart. Scripts that set no blanks between words need a dictionary (ICU's, by the
line-breaking algorithm of Unicode, UAX 14), and words longer than a line need the syllables of their language
(patterns after F. M. Liang, 1983, with Pyphen). Both become marks that are seen nowhere but at the end of a line.
"""

import re
from functools import lru_cache

import pyphen
from icu4py.breakers import LineBreaker

BREAK, HYPHEN = "\u200b", "\u00ad"  # zero width space, soft hyphen
SYLLABLE = 3  # letters that a part of a word has, at least
LONGEST = 60  # letters of a word that is looked at: beyond, it is no word
_UNSPACED = re.compile(r"[\u0e00-\u0eff\u1000-\u109f\u1780-\u17ff]+")  # Thai, Lao, Burmese, Khmer
_WORD = re.compile(r"[^\W\d_]+")
_COMPOUND = 18  # letters from which a word of Latin letters is taken for one that is put together, as in German
# how often words and letters of a language are met tells it from others; the first of equals wins
_TELLING = {
    "en_GB": ("the of and to in is for with from on at by are this that our", ""),
    "de_DE": ("der die das und den dem des im mit für von zu am ist nicht ein eine auf bei", "äöüß"),
    "fr": ("le la les des et du une pour dans avec aux est sur au en", "éèêëàâçùûœî"),
    "es": ("el los las y del una para con por en es al se", "ñ¿¡áíóú"),
    "it_IT": ("il lo gli di che per con della nel una è e sono", "òìàè"),
    "nl_NL": ("het een van voor met op te zijn en de niet bij", "ĳ"),
    "pt_PT": ("o os as do da dos das uma para com em não e", "ãõçâê"),
    "sv": ("och att det som en är för på med av till", "åäö"),
    "pl_PL": ("i w na z do nie się jest od dla", "ąćęłńśźż"),
}
_BY_SCRIPT = ((re.compile(r"[\u0400-\u04ff]"), "ru_RU"), (re.compile(r"[\u0370-\u03ff]"), "el_GR"))


def with_breaks(text: str) -> str:
    """A text with a `BREAK` wherever a line may end between words that no blank parts."""
    return _UNSPACED.sub(lambda found: BREAK.join(LineBreaker(found[0], "th")), text)


def language_of(text: str) -> str:
    """A name of Pyphen: the likeliest language of a text, by its script and its commonest words."""
    for script, name in _BY_SCRIPT:
        if script.search(text):
            return name
    lower = text.lower()
    words = set(_WORD.findall(lower))
    counted = {
        name: 2 * len(words & set(common.split())) + sum(lower.count(letter) for letter in letters)
        for name, (common, letters) in _TELLING.items()
    }
    best = max(counted, key=lambda name: counted[name])
    is_untold = counted[best] == 0 and any(len(word) >= _COMPOUND for word in words)
    return "de_DE" if is_untold else best


def hyphenated(word: str, language: str) -> str:
    """A word with a `HYPHEN` between its syllables; as it is where none is known."""
    if not 2 * SYLLABLE <= len(word) <= LONGEST:
        return word
    parts = _patterns(language).positions(word)
    return "".join(HYPHEN + letter if at in parts else letter for at, letter in enumerate(word))


@lru_cache(maxsize=4)
def _patterns(language: str) -> pyphen.Pyphen:
    return pyphen.Pyphen(lang=language, left=SYLLABLE, right=SYLLABLE)


def words_of(text: str) -> set[str]:
    """The different words of a text that could be broken."""
    return {word for word in _WORD.findall(text) if len(word) >= 2 * SYLLABLE}


def with_hyphens(text: str, words: frozenset[str], language: str) -> str:
    """A text in which some words may be broken between their syllables."""
    return _WORD.sub(lambda found: hyphenated(found[0], language) if found[0] in words else found[0], text)
