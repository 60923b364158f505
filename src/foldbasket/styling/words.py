"""Small turns of English that several sentences need."""

from __future__ import annotations

from decimal import Decimal
from fractions import Fraction

MOST_DIGITS = 15
"""So many digits after the point are written at most to tell a share from all and from nothing."""
SMALL = frozenset({"of", "in", "per", "and", "for", "to", "the", "a", "by", "on"})


def lower_first(text: str) -> str:
    """A name as it stands within a sentence: its first letter small, unless it is an abbreviation or each of its words has a large one, as in “Posting Date”."""
    words = text.split()
    is_title = len(words) > 1 and ":" not in text and all(word[:1].isupper() for word in words if word not in SMALL)
    return text if text[:2].isupper() or is_title else text[:1].lower() + text[1:]


def plural(heading: str) -> str:
    """A heading as the name of several: “Site” gives “sites”. Headings that cannot be bent are left as they are."""
    head, _, _ = heading.partition(" of ")  # “Quarter of order date” gives “quarters”
    if not head[-1:].isalpha():
        return heading[:1].lower() + heading[1:]
    if head.endswith("y") and head[-2:-1].lower() not in "aeiou":
        several = head[:-1] + "ies"
    elif head.endswith(("s", "x", "ch", "sh", "z")):
        several = head if head.endswith("s") and not head.endswith("ss") else head + "es"
    else:
        several = head + "s"
    if not head.isupper():
        several = several[:1].lower() + several[1:]
    return several


def number_of(count: int, noun: str) -> str:
    """So many of something that is called so: “1 record”, “2,400 records”."""
    return f"{count:,} {noun if count == 1 else plural(noun)}"


def share_text(share: float | Fraction, digits: int = 0) -> str:
    """A share in percent, such as “72%”. What is not all is never written as 100%, and what is not nothing never as 0%: more digits are shown until it is
    neither, so 0.997 is “99.7%”."""
    exact, text = Fraction(share) * 100, ""
    for places in range(digits, MOST_DIGITS + 1):
        text = f"{Decimal(round(exact * 10**places)).scaleb(-places):f}"
        if exact in (0, 100) or Fraction(text) not in (0, 100):
            break
    return f"{text}%".replace("-", "−")


def change_text(change: float | Fraction) -> str:
    """A change in percent with its sign, such as “+4.2%” and “−0.3%”; “0.0%” only where there is none."""
    return f"{'+' if change > 0 else ''}{share_text(change, 1)}"


def placed_at(number: float) -> str:
    """A number as a place in a row, in figures: “1st”, “2nd”, “11th”, “2.5th”."""
    last, two = number % 10, number % 100
    ending = {1: "st", 2: "nd", 3: "rd"}.get(int(last), "th") if number == int(number) and not 11 <= two <= 13 else "th"
    return f"{number:.15g}{ending}"


def ordinal(number: int) -> str:
    """A place in a row: “first”, “second”, “21st”."""
    words = ("first", "second", "third", "fourth", "fifth", "sixth", "seventh", "eighth", "ninth", "tenth")
    if 1 <= number <= len(words):
        return words[number - 1]
    return placed_at(number)
