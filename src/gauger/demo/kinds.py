"""The planted kinds of cinema-goer in the demo world: the truth that a study of the demo data should find again."""

from dataclasses import dataclass

WEEKDAYS = ("mon", "tue", "wed", "thu", "fri", "sat", "sun")
SLOTS = ("matinee", "early", "late")
FILM_KINDS = ("family", "action", "drama", "comedy", "arthouse")
CHANNELS = ("app", "web", "desk")
HOUSEHOLDS = ("single", "couple", "family", "shared")


@dataclass(frozen=True, eq=False)
class Kind:
    """How one kind of member behaves; every tuple of weights follows the matching tuple of words above."""

    name: str
    statement: str
    members: int
    visits_a_year: float
    evenness: float
    """Shape of the gamma distribution of personal visit rates: higher means members are more alike."""
    party: dict[int, float]
    """Seats booked in one go, with their probabilities."""
    seat_price: float
    kiosk_a_seat: float
    weekdays: tuple[float, ...]
    slots: tuple[float, ...]
    films: tuple[float, ...]
    channels: tuple[float, ...]
    households: tuple[float, ...]
    booked_ahead: float
    age: tuple[float, float]
    town: float
    """Share of members who live around one of the two towns rather than along the tram line."""
    ended: tuple[int, int] | None = None
    """Days before the end of the record between which members of this kind stopped coming."""


KINDS = (
    Kind(
        name="now and then",
        statement="I go a few times a year, when a film is much talked about",
        members=826,
        visits_a_year=4.0,
        evenness=9.0,
        party={1: 0.12, 2: 0.70, 3: 0.14, 4: 0.04},
        seat_price=10.0,
        kiosk_a_seat=3.2,
        weekdays=(0.6, 0.6, 0.7, 0.8, 1.6, 2.0, 1.2),
        slots=(0.2, 0.4, 0.4),
        films=(0.10, 0.40, 0.25, 0.23, 0.02),
        channels=(0.35, 0.45, 0.20),
        households=(0.25, 0.55, 0.15, 0.05),
        booked_ahead=3.0,
        age=(43.0, 12.0),
        town=0.6,
    ),
    Kind(
        name="family matinee",
        statement="We go as a family, mostly at weekends",
        members=528,
        visits_a_year=8.0,
        evenness=12.0,
        party={3: 0.26, 4: 0.48, 5: 0.22, 6: 0.04},
        seat_price=7.5,
        kiosk_a_seat=4.5,
        weekdays=(0.1, 0.1, 0.4, 0.1, 0.5, 4.0, 4.0),
        slots=(0.82, 0.17, 0.01),
        films=(0.80, 0.08, 0.04, 0.08, 0.0),
        channels=(0.40, 0.50, 0.10),
        households=(0.01, 0.04, 0.94, 0.01),
        booked_ahead=5.0,
        age=(39.0, 5.0),
        town=0.45,
    ),
    Kind(
        name="student evening",
        statement="I go on the cheap evenings with my student card",
        members=432,
        visits_a_year=13.0,
        evenness=16.0,
        party={1: 0.62, 2: 0.34, 3: 0.04},
        seat_price=5.0,
        kiosk_a_seat=1.0,
        weekdays=(2.4, 3.4, 1.6, 1.0, 0.4, 0.3, 0.6),
        slots=(0.03, 0.37, 0.60),
        films=(0.02, 0.42, 0.14, 0.30, 0.12),
        channels=(0.90, 0.08, 0.02),
        households=(0.25, 0.15, 0.02, 0.58),
        booked_ahead=0.7,
        age=(21.5, 2.2),
        town=0.95,
    ),
    Kind(
        name="fallen away",
        statement="I used to go, but I have not been for a long while",
        members=312,
        visits_a_year=7.0,
        evenness=8.0,
        party={1: 0.15, 2: 0.70, 3: 0.15},
        seat_price=10.0,
        kiosk_a_seat=2.8,
        weekdays=(0.7, 0.8, 0.8, 0.8, 1.5, 1.8, 1.0),
        slots=(0.2, 0.45, 0.35),
        films=(0.12, 0.36, 0.28, 0.22, 0.02),
        channels=(0.25, 0.40, 0.35),
        households=(0.35, 0.40, 0.20, 0.05),
        booked_ahead=2.5,
        age=(46.0, 14.0),
        town=0.5,
        ended=(330, 520),
    ),
    Kind(
        name="film lover",
        statement="I see nearly everything, usually on my own",
        members=192,
        visits_a_year=28.0,
        evenness=28.0,
        party={1: 0.88, 2: 0.12},
        seat_price=8.0,
        kiosk_a_seat=0.9,
        weekdays=(1.2, 1.2, 1.4, 1.4, 1.0, 0.8, 0.9),
        slots=(0.28, 0.50, 0.22),
        films=(0.0, 0.10, 0.38, 0.07, 0.45),
        channels=(0.45, 0.25, 0.30),
        households=(0.62, 0.30, 0.05, 0.03),
        booked_ahead=1.2,
        age=(57.0, 9.0),
        town=0.8,
    ),
    Kind(
        name="night out",
        statement="Cinema is our big night out: best seats, drinks and all",
        members=100,
        visits_a_year=6.0,
        evenness=12.0,
        party={2: 0.80, 3: 0.12, 4: 0.08},
        seat_price=23.0,
        kiosk_a_seat=11.0,
        weekdays=(0.1, 0.1, 0.2, 0.6, 2.6, 3.4, 0.4),
        slots=(0.0, 0.25, 0.75),
        films=(0.02, 0.48, 0.28, 0.20, 0.02),
        channels=(0.55, 0.44, 0.01),
        households=(0.12, 0.78, 0.08, 0.02),
        booked_ahead=9.0,
        age=(36.0, 7.0),
        town=0.75,
    ),
)
"""The six kinds of members that are planted, and how each behaves."""

BLOCK_BOOKER = Kind(
    name="block booker",
    statement="I book for a club, a school or a firm",
    members=10,
    visits_a_year=5.0,
    evenness=6.0,
    party={18: 0.2, 24: 0.3, 32: 0.3, 45: 0.15, 60: 0.05},
    seat_price=6.5,
    kiosk_a_seat=0.6,
    weekdays=(1.5, 1.5, 1.5, 1.5, 0.8, 0.2, 0.2),
    slots=(0.6, 0.35, 0.05),
    films=(0.45, 0.15, 0.25, 0.10, 0.05),
    channels=(0.0, 0.25, 0.75),
    households=(0.3, 0.3, 0.3, 0.1),
    booked_ahead=26.0,
    age=(48.0, 9.0),
    town=0.5,
)
"""The extreme customers: schools that book a house."""
