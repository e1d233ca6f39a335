"""What the columns of a table of events mean."""

from dataclasses import dataclass

from gauger.errors import SettingError
from gauger.features.measures import Nouns, noun_of


@dataclass(frozen=True)
class EventColumns:
    """What the columns of a table of events mean, and how the features made of them are named.

    Parameters
    ----------
    customer, when : str
        The columns that say who, and when.
    amount, quantity, category : str, optional
        The columns that say for how much, how many, and of what.
    event_key : str, optional
        The column that numbers events (a visit, an order). Rows alike in every column of the source then count once,
        and the others that share key and customer are lines of one event: one visit, at the earliest of their moments,
        with amounts and quantities added up, while shares by category are those of lines. Rows without a key are an
        event each. Without `event_key` every row is an event; repeats, and rows that share customer and moment, are
        remarked.
    event_noun, amount_noun, quantity_noun, category_noun : str, optional
        Other names than visits, spend, the quantity's column and the last word of the category's.

    Raises
    ------
    SettingError
        For a column that is not named by text.

    Examples
    --------
    >>> import gauger
    >>> gauger.EventColumns("who", "day", amount="paid", amount_noun="turnover").amount
    'paid'
    """

    customer: str
    when: str
    amount: str | None = None
    quantity: str | None = None
    category: str | None = None
    event_key: str | None = None
    event_noun: str = "visits"
    amount_noun: str = "spend"
    quantity_noun: str | None = None
    category_noun: str | None = None

    def __post_init__(self) -> None:
        for setting in ("customer", "when"):
            if not isinstance(getattr(self, setting), str):
                raise SettingError(f"{setting}={getattr(self, setting)!r} must be the name of a column.")

    @property
    def named(self) -> dict[str, str]:
        """The columns there are, by what they say."""
        parts = {"customer": self.customer, "moment": self.when, "amount": self.amount}
        parts |= {"quantity": self.quantity, "category": self.category, "event_key": self.event_key}
        return {part: column for part, column in parts.items() if column is not None}

    @property
    def nouns(self) -> Nouns:
        """What events, amounts, quantities and categories are called."""
        return Nouns(
            self.event_noun,
            self.amount_noun if self.amount else None,
            self.quantity_noun or self.quantity,
            self.category_noun or (noun_of(self.category) if self.category else None),
        )
