"""Remarks on what customers are made of: reading, looking, events and features."""

from gauger.remark_register.remark_kind import RemarkKind

ABOUT_DATA = (
    RemarkKind(
        "encoding-guessed",
        "reading",
        "the text is not UTF-8 and was read as Windows-1252",
        "name the encoding if letters look wrong",
    ),
    RemarkKind(
        "header-missing", "reading", "the first line looks like data", "say `header=True` if it names the columns"
    ),
    RemarkKind(
        "bad-lines-skipped", "reading", "malformed lines were left out, as told", "look at the file they are in"
    ),
    RemarkKind(
        "keys-made-whole",
        "reading",
        "a key stored as decimal numbers, all of them whole, is read as whole numbers",
        "no action needed; export the key as whole numbers or text to be rid of it",
    ),
    RemarkKind("other-sheets", "reading", "the workbook has more sheets than the one read", "name the one you mean"),
    RemarkKind(
        "nested-left-out",
        "reading",
        "columns of lists, objects or raw bytes were left out",
        "make one column of each value that you need",
    ),
    RemarkKind(
        "repeated-rows",
        "looking",
        "rows that are exact repeats",
        "ask why the export repeats rows; of events, name the event key (`event_key=`)",
    ),
    RemarkKind(
        "key-repeats",
        "looking",
        "the key stands in several rows",
        "summarise events first (`summarise_events`), or name another key",
    ),
    RemarkKind("constant", "looking", "a column says the same for everyone", "leave it out"),
    RemarkKind(
        "near-constant", "looking", "95 % or more have one value", "leave it out of the features, profile with it"
    ),
    RemarkKind(
        "code-as-measure",
        "looking",
        "small whole numbers look like steps of a scale",
        "make it a category (`categories=`) if its steps are not alike",
    ),
    RemarkKind("missing", "looking", "a column has gaps", "decide what they mean before using it"),
    RemarkKind(
        "top-level", "looking", "numbers with a top level such as 5+", "make it a category in order: `categories=`"
    ),
    RemarkKind(
        "nearly-numbers",
        "looking",
        "text that is nearly all numbers",
        '`as_missing=` for the odd word, `decimal=","` for commas',
    ),
    RemarkKind("dates-as-text", "looking", "dates that are not ISO", 'say how they are written: `dates="%d.%m.%Y"`'),
    RemarkKind(
        "missing-together",
        "looking",
        "columns are missing in the same rows",
        "find the one cause, and treat them alike",
    ),
    RemarkKind(
        "sentinel", "looking", "values such as -1, 999, 1900-01-01 that stand for none", "read them with `as_missing=`"
    ),
    RemarkKind(
        "heavy-tail", "looking", "skew above 2", 'take the logarithm (`transform="log"`), or cap the largest values'
    ),
    RemarkKind(
        "future-dates",
        "looking",
        "dates after today",
        "see whether they are bookings ahead, or day and month were mixed up",
    ),
    RemarkKind("single-levels", "looking", "a level with one row", "correct the typo, or join the level with another"),
    RemarkKind("after-as-of", "events", "events after the chosen moment were not counted", "nothing, if you meant it"),
    RemarkKind("before-since", "events", "events before the chosen start were not counted", "nothing, if you meant it"),
    RemarkKind(
        "events-without-customer",
        "events",
        "events of nobody who can be recognised were left out",
        "look at how much they hold before you speak of all customers",
    ),
    RemarkKind(
        "other-customers-left-out", "events", "events of customers who are not in the table", "nothing, if you meant it"
    ),
    RemarkKind("lookup-not-found", "events", "events without a row in the lookup", "complete the lookup"),
    RemarkKind("days-of-utc", "events", "days are counted in UTC", "name the zone of the place: `zone=`"),
    RemarkKind("repeated-events", "events", "events alike in every column were counted again", "name the event key"),
    RemarkKind("repeats-dropped", "events", "exact repeats counted once", "nothing"),
    RemarkKind(
        "shared-moments",
        "events",
        "rows share customer and moment with an earlier one",
        "name the event key if they are lines of one order",
    ),
    RemarkKind("lines-added-up", "events", "how many lines made how many events", "nothing"),
    RemarkKind(
        "event-key-shared",
        "events",
        "one event key stands with several customers",
        "see whether numbers start again in each house or year; if so, make one key of both columns",
    ),
    RemarkKind(
        "event-key-days",
        "events",
        "lines of one event lie on different days",
        "see whether the column numbers something larger than an event",
    ),
    RemarkKind(
        "event-key-missing", "events", "rows without an event key are an event each", "nothing, if you meant it"
    ),
    RemarkKind(
        "last-day-short", "events", "the last day has a few hours of events", "leave that day out: `as_of=` that day"
    ),
    RemarkKind("no-events", "events", "customers without any event came out too", "nothing, if you meant it"),
    RemarkKind("customers-unknown", "events", "customers of the events that the table lacks", "check the table"),
    RemarkKind(
        "periods-missing", "events", "periods that no entity has were put in", "find out why: closed, or not recorded"
    ),
    RemarkKind("period-short", "events", "few have a value in the first or last period", "leave that period out"),
    RemarkKind("unequal-lengths", "events", "series that begin later or end earlier", "compare the periods they share"),
    RemarkKind(
        "columns-left-out", "features", "columns that are not numeric were not used", "name the features you mean"
    ),
    RemarkKind(
        "customers-left-out", "features", "customers with missing values were dropped", "fill instead, if they matter"
    ),
    RemarkKind("identifier", "features", "a feature differs for everyone, like a number plate", "leave it out"),
    RemarkKind(
        "raw-scales",
        "features",
        "one feature's width would decide the segments",
        'bring them to one scale: `scale="zscore"`',
    ),
    RemarkKind("correlated", "features", "two features with r of 0.9 or more count twice", "keep one, or halve both"),
    RemarkKind("composite", "features", "a feature is the sum of others", "leave out the sum or its parts"),
    RemarkKind(
        "zero-for-missing",
        "features",
        "gaps became 0 where 0 is nobody's value",
        "fill with the median or a number, or drop those customers",
    ),
    RemarkKind(
        "extreme-customers", "features", "customers three times as far out as 95 % of all", "cap, or treat them by hand"
    ),
    RemarkKind(
        "few-customers",
        "features",
        "fewer than ten customers a feature",
        "name fewer features, or wait for more customers",
    ),
    RemarkKind("leak", "features", "dates after the behaviour ends", "use columns as they were on that day"),
    RemarkKind(
        "outside-learned-range",
        "features",
        "other customers go beyond what was learned on",
        "prepare all together, if they are many",
    ),
    RemarkKind(
        "beyond-treatment",
        "features",
        "values that a treatment learned cannot take",
        'prepare all together with `transform="signed_log"`',
    ),
    RemarkKind(
        "new-levels", "features", "levels that were not there when learned", "those customers have no indicator"
    ),
)
