"""Words for people: lists, plurals, numbers, and text with nothing hidden in it."""

import difflib
import re
import unicodedata
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

_UNSEEN = ("Cc", "Cf", "Cs", "Co", "Cn", "Zl", "Zp")
"""Unicode's categories of control, format, surrogate, private and unassigned signs, and its separators of lines."""

_ROUNDING = 1e-12
"""Below this a number is shown as 0: a flag that nobody in a segment has comes back from its scale as 1e-16, and no
measure of customers is as small; judgement."""


def visible(text: str) -> str:
    """Text with every sign that a terminal would act on, or that nobody sees, written out: an escape as \\x1b.

    Line ends stay. What data hold could otherwise move the cursor, hide text or turn its direction.
    """
    return text if text.isascii() and text.isprintable() else "".join(map(_written_out, text))


def _written_out(sign: str) -> str:
    if sign == "\n" or unicodedata.category(sign) not in _UNSEEN:
        return sign
    return sign.encode("unicode_escape").decode("ascii")


def first_up(text: str) -> str:
    """Text as a sentence begins: its first letter a capital."""
    return text[:1].upper() + text[1:]


def percent(share: float) -> str:
    """A share between 0 and 1 as a whole percentage; 0% is said only of nobody, 100% only of everyone."""
    if 0.0 < share < 0.005:
        return "<1%"
    return ">99%" if 0.995 <= share < 1.0 else f"{share:.0%}"


def shortened(text: str, most: int) -> str:
    """Text of at most so many letters, its end replaced by dots where it is longer."""
    return text if len(text) <= most else f"{text[: most - 1].rstrip()}…"


def plain_number(value: float) -> str:
    """A number as people write it: whole ones without decimals, others to three figures, what rounding left as 0."""
    if abs(value) < _ROUNDING:
        return "0"
    return f"{value:,.0f}" if float(value).is_integer() and abs(value) < 1e15 else short_number(value)


def short_number(value: float) -> str:
    """A number to three figures with thousands marks: 1,240, 27.3, 4.20, 0.042."""
    size = abs(value)
    if size >= 99.95:
        return f"{value:,.0f}"
    if size >= 9.995:
        return f"{value:.1f}"
    if size >= 0.9995 or size == 0.0:
        return f"{value:.2f}"
    return f"{value:.3f}" if size >= 0.0005 else f"{value:.1e}"


LONGEST_PART = 200
"""Letters of a part of a file that a message quotes; judgement."""

_LONGEST_FORM = 30
"""Signs of a value's form that a message shows; judgement."""


def nearest(name: str, present: Iterable[str]) -> str:
    """The one to three names of `present` most like `name`, quoted and joined by 'or'; empty when none is near."""
    by_lower = {word.lower(): word for word in present}
    close = difflib.get_close_matches(name.lower(), by_lower, n=3, cutoff=0.6)
    return " or ".join(repr(by_lower[word]) for word in close)


def written_like(values: Iterable[object]) -> str:
    """How values are written, without what they say: digits as 9, letters as a, no more than 30 characters of each."""
    forms = dict.fromkeys(_form(str(value)) for value in values)
    return f"like {listed(map(repr, forms))}"


def _form(text: str) -> str:
    shown = "".join("9" if sign.isdigit() else "a" if sign.isalpha() else sign for sign in text[:_LONGEST_FORM])
    return shown + ("…" if len(text) > _LONGEST_FORM else "")


def data_rows(indices: Sequence[int]) -> str:
    """The first three of some places, counted from 0, as a reader counts rows: "data rows 2, 4 and 9"."""
    shown = [str(int(index) + 1) for index in indices[:3]]
    return f"data {plural(len(shown), 'row')} {listed(shown)}"


def listed(words: Iterable[str], most: int = 3, last: str = "and") -> str:
    """The first `most` words as a phrase, with how many more there are: "a, b and 4 more"."""
    shown = list(words)
    rest = len(shown) - most
    if rest > 0:
        return f"{', '.join(shown[:most])} and {rest:,} more"
    return shown[0] if len(shown) == 1 else f"{', '.join(shown[:-1])} {last} {shown[-1]}" if shown else "nothing"


def plural(count: int, one: str, many: str | None = None) -> str:
    """`one` when count is 1, else its plural."""
    return one if count == 1 else many or f"{one}s"


@dataclass(frozen=True)
class Noun:
    """The word for whoever is segmented: one of them, and many. `everyone` is the word for all of them where this one
    is for a sample."""

    one: str
    many: str
    everyone: "Noun | None" = None

    @classmethod
    def called(cls, one: str) -> "Noun":
        """The noun with its plural by rule."""
        word = " ".join(one.split())
        if word in _IRREGULAR:
            return cls(word, _IRREGULAR[word])
        if word.endswith("y") and word[-2:-1] not in "aeiou":
            return cls(word, f"{word[:-1]}ies")
        return cls(word, f"{word}es" if word.endswith(("s", "x", "z", "ch", "sh")) else f"{word}s")

    @classmethod
    def of_key(cls, key: str) -> "Noun":
        """What the name of a key column says its rows are, such as "house" of house_id; a customer where it says none
        of the words that a key is usually of."""
        words = [word.lower() for word in re.findall(r"[A-Z]?[a-z]+|[A-Z]+|[^\W\d_A-Za-z]+", key)]
        while words and words[-1] in _OF_A_KEY:
            words.pop()
        for noun in map(cls.called, _USUAL):
            if words and words[-1] in (noun.one, noun.many):
                return noun
        return CUSTOMER

    @classmethod
    def given(cls, one: str | None, key: str) -> "Noun":
        """The noun that was given, else what the key says."""
        return cls.of_key(key) if one is None else cls.called(one)

    def of_a_sample(self) -> "Noun":
        """The word for some of them who were sampled."""
        return Noun(f"sampled {self.one}", f"sampled {self.many}", self)

    def of(self, count: int) -> str:
        """The noun for so many."""
        return self.one if count == 1 else self.many

    def counted(self, count: int) -> str:
        """So many of them: "48 houses"."""
        return f"{count:,} {self.of(count)}"

    def said(self, text: str, keep: Iterable[str] = ()) -> str:
        """A text of ours about customers as one about whoever they are; names to `keep` stay as they are written. Of a
        sample too it says the word for everyone, as it may be about them. What was said once stays as it is."""
        if self.everyone is not None:
            return self.everyone.said(text, keep)
        if self.one == "customer" or "ustomer" not in text:
            return text
        own = (self.many, self.one) if "customer" in self.one.lower() else ()
        kept = "|".join(
            re.escape(name) for name in sorted([*keep, *own, *map(first_up, own)], key=len, reverse=True) if name
        )
        pattern = f"(?:{kept})|" if kept else ""
        return re.sub(rf"{pattern}'[^']*'|\b[Cc]ustomers?\b", self._instead, text)

    def _instead(self, found: "re.Match[str]") -> str:
        word = found[0]
        if word.lower() not in ("customer", "customers"):
            return word
        own = self.one if word[-1] == "r" else self.many
        return first_up(own) if word[0] == "C" else own


CUSTOMER = Noun("customer", "customers")

_IRREGULAR = {"person": "people", "man": "men", "woman": "women", "child": "children"}

_OF_A_KEY = frozenset("id ids key no nr num number code ref reference uuid guid pk sk hash name".split())
"""Words with which the name of a key says that it is one."""

_USUAL = tuple(
    """
    customer client member household house home user account subscriber guest visitor shopper buyer donor patient
    student person shop store branch company business site outlet product contract policy device city region county
    employee supplier vendor partner cinema family passenger player driver tenant reader listener viewer owner contact
    prospect seller merchant school clinic team farm hotel restaurant card
    """.split()
)
"""What keys are usually of; any other word would be a guess, and `noun=` says it."""
