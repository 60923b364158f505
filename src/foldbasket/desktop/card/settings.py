"""The section of the report's card on what holds for the whole basket: its language, its currency, the day that “today” means."""

from __future__ import annotations

import datetime
from collections.abc import Callable
from functools import lru_cache, partial
from typing import Any

from babel import Locale
from babel.numbers import format_decimal, get_currency_name

from foldbasket.baskets import edits
from foldbasket.desktop.card.number import CURRENCIES
from foldbasket.desktop.card.parts import CardBody
from foldbasket.desktop.desk import Desk

LOCALES = (
    "en", "en_GB", "en_US", "de", "de_AT", "de_CH", "fr", "fr_CH", "it", "es", "pt", "nl", "da", "sv", "nb", "fi", "pl", "cs", "sk", "sl",
    "hr", "hu", "ro", "et", "lv", "lt", "el", "tr", "uk",
)  # fmt: skip


def settings_section(desk: Desk, body: CardBody) -> None:
    """Adds the section."""
    basket = desk.basket
    body.section("Whole basket", f"{language(basket.locale)}, {basket.currency}")
    locales = LOCALES if basket.locale in LOCALES else (*LOCALES, basket.locale)
    languages = sorted(((each, language(each)) for each in locales), key=lambda choice: choice[1])
    body.choice("Language", languages, basket.locale, partial(_set, desk, "Language of the reports", "locale"))
    body.text(f"Numbers are written like {format_decimal(1234.5, locale=basket.locale)}.", "quiet")
    codes = CURRENCIES if basket.currency in CURRENCIES else (*CURRENCIES, basket.currency)
    currencies = [(each, f"{each}, {get_currency_name(each, locale='en')}") for each in codes]
    body.choice("Currency", currencies, basket.currency, partial(_set, desk, "Currency", "currency"))
    as_of_choice(desk, body, datetime.date.today)
    body.text("“Last quarter” and the like count back from that day.", "quiet")
    body.choice(
        "Records",
        ((False, "kept, to open at once"), (True, "confidential")),
        basket.confidential,
        partial(_set, desk, "Whether records are kept", "confidential"),
    )
    if basket.confidential:
        body.text("They are kept nowhere but in their own files.", "quiet")


def as_of_choice(desk: Desk, body: CardBody, start: Callable[[], datetime.date]) -> None:
    """Adds what relative dates count back from; a day written out begins with `start`."""
    shown = desk.basket.as_of if desk.basket.as_of in ("latest", "today") else "date"
    done = "Change the as-of date"

    def chosen(value: str) -> None:
        _set(desk, done, "as_of", start().isoformat() if value == "date" else value)

    body.choice("As of", (("latest", "the latest date"), ("today", "today"), ("date", "a date")), shown, chosen)
    if shown == "date":
        body.entry("Date", desk.basket.as_of, "2026-09-30", lambda text: _set(desk, done, "as_of", text.strip()))


def _set(desk: Desk, done: str, name: str, value: Any) -> None:
    desk.do(edits.ChangeBasket({name: value}, done))


@lru_cache(maxsize=256)
def language(locale: str) -> str:
    """“German (Austria)”."""
    return Locale.parse(locale).get_display_name("en") or locale
