"""Remarks on what is made of customers: studies, segments, profiles, models and campaigns."""

from gauger.remark_register.remark_kind import RemarkKind

ABOUT_RESULTS = (
    RemarkKind(
        "many-features", "count", "over 8 features; how much contrast distances still have", "name fewer features"
    ),
    RemarkKind(
        "rows-repeat-customers",
        "count",
        "rows seem to be orders of fewer customers",
        "summarise to one row per customer first",
    ),
    RemarkKind(
        "silhouette-without-weights",
        "count",
        "a silhouette counts every customer once, whatever its weight",
        "read it as one of customers, not of weights",
    ),
    RemarkKind("silhouette-sampled", "count", "the silhouette is from a sample", "nothing; it says how large"),
    RemarkKind(
        "criteria-sampled",
        "count",
        "gap, prediction strength, stability or the evidence on groups are from a sample",
        "nothing; look for tiny groups yourself",
    ),
    RemarkKind(
        "filter-would-do",
        "count",
        "one flag, category or value gives a split by itself, which is no group",
        "filter on it, or leave it out",
    ),
    RemarkKind("fewer-bands", "segments", "equal values leave fewer bands than asked for", "nothing, or fixed edges"),
    RemarkKind("many-bands", "segments", "more than twelve combinations of bands", "fewer bands, or a score"),
    RemarkKind(
        "tiny-segment",
        "segments",
        "a segment holds at most 1 % of the customers, or one",
        "cap, scale by rank or quartiles, or treat them as a case of their own",
    ),
    RemarkKind(
        "not-converged", "segments", "iterations ran out while customers were still moving", "raise `max_iterations`"
    ),
    RemarkKind(
        "far-customers",
        "segments",
        "customers lie far from every centre and pull at their own",
        "look at them; cap, or scale by rank or quartiles",
    ),
    RemarkKind(
        "learned-on-sample",
        "segments",
        "centres were learned on a sample; how far another would put them",
        "a larger sample, if that is too far",
    ),
    RemarkKind(
        "moved-since-seeding",
        "segments",
        "how many customers k-means moved from the segments it was seeded with",
        "nothing; many, and the seeds were no good fit",
    ),
    RemarkKind(
        "many-unassigned",
        "density",
        "density leaves over 40 % in no segment",
        "a larger radius, a smaller `smallest=`, or k-means",
    ),
    RemarkKind(
        "one-large-segment",
        "density",
        "density puts over 90 % into one segment",
        "a smaller radius; or there is nothing to tell apart",
    ),
    RemarkKind(
        "nobody-dense",
        "density",
        "no customer has enough others within the radius",
        "a radius in the range that it gives",
    ),
    RemarkKind(
        "small-dense-segments",
        "density",
        "a radius leaves segments of under 1 % of the customers",
        "a larger radius, more `min_points`, or density levels",
    ),
    RemarkKind(
        "no-dense-groups",
        "density",
        "density levels find no split that chance would not make",
        "k-means, for a cut through one cloud",
    ),
    RemarkKind(
        "dense-by-copies",
        "density",
        "exact copies alone make customers core",
        "a higher `min_points`, or a finer feature",
    ),
    RemarkKind(
        "not-round",
        "density",
        "density shows groups that round segments cut apart and mix",
        "try density: `study_radius`, then `segment_by_density`",
    ),
    RemarkKind(
        "radius-at-edge", "density", "the advised radius is the smallest or largest compared", "try one beyond it"
    ),
    RemarkKind("validity-sampled", "density", "validity is from 2,000 customers", "nothing"),
    RemarkKind("one-holds-most", "trees", "one segment of a cut holds over 90 %", "Ward's linkage, a cap, or k-means"),
    RemarkKind("tied-merges", "trees", "equal distances decide a cut", "a count with a larger jump, or finer features"),
    RemarkKind(
        "inverted-merges",
        "trees",
        "merges lie below earlier ones of their branch",
        "cut by count, or Ward's or average linkage",
    ),
    RemarkKind("condensed", "trees", "the tree stands on micro-segments", "nothing; more of them for a finer tree"),
    RemarkKind(
        "large-matrix",
        "trees",
        "a gigabyte or more of distances was held",
        "nothing, or a linkage that holds no matrix",
    ),
    RemarkKind(
        "half-precision",
        "trees",
        "distances and heights have seven digits, for want of memory",
        "nothing, or a linkage that holds no matrix",
    ),
    RemarkKind("periods-scaled", "trees", "periods of a series were each treated on their own", '`scale="none"`'),
    RemarkKind("linkages-sampled", "trees", "the study looked at a sample", "nothing"),
    RemarkKind("metrics-sampled", "trees", "the study looked at a sample", "nothing"),
    RemarkKind("metrics-left-out", "trees", "metrics that these features do not allow", "nothing"),
    RemarkKind(
        "unassigned-on-one-side",
        "profiles",
        "one segmentation leaves customers out that the other has",
        "read the agreement without them",
    ),
    RemarkKind(
        "significance", "profiles", "what the p of the drivers proves, and what not", "read the effect, not the p"
    ),
    RemarkKind(
        "overlapping",
        "profiles",
        "a fifth of a segment or more is nearly as close to another",
        "treat the border as a choice, or join them",
    ),
    RemarkKind(
        "mixed-in-two",
        "profiles",
        "two principal components show segments mixed that are apart in all features",
        "judge by the profile and by pairs of features",
    ),
    RemarkKind("dissolving", "profiles", "a segment is lost in more than a fifth of the resamples", "fewer segments"),
    RemarkKind(
        "measure-left-aside",
        "profiles",
        "a measure has too many digits, or is too small, to be worked with",
        "subtract a constant, or measure in other units",
    ),
    RemarkKind(
        "infinite-left-out",
        "profiles",
        "infinite values were left out of a measure",
        "correct them where the column is made",
    ),
    RemarkKind(
        "customers-of-one-side",
        "profiles",
        "customers that only one side of a comparison has",
        "nothing, if you meant it",
    ),
    RemarkKind(
        "customers-not-in-table", "profiles", "segmented customers that the profiled table lacks", "check the table"
    ),
    RemarkKind(
        "known-for-a-part",
        "profiles",
        "a column is known for many of one segment and few of another",
        "say for whom it is known, or leave the comparison out",
    ),
    RemarkKind(
        "customers-not-segmented",
        "profiles",
        "customers of the table that are in no segment",
        "nothing, where they had no events or were dropped",
    ),
    RemarkKind(
        "sample-of-all",
        "studies",
        "figures and studies of an open table are of a sample of its customers",
        "exact figures are in profile.csv and centres.csv",
    ),
    RemarkKind(
        "source-changed",
        "studies",
        "the source holds something else than when the study was made",
        "segment again if the segments shall change too",
    ),
    RemarkKind(
        "customers-changed", "studies", "customers came or went since", "segment again if the segments shall change too"
    ),
    RemarkKind("segments-matched", "studies", "two studies were found apart; which segments match", "nothing"),
    RemarkKind(
        "no-model",
        "studies",
        "segments by such a metric cannot place others",
        "seed k-means with them: `segment_by_kmeans(…, seeding=segments)`",
    ),
    RemarkKind(
        "names-not-placed",
        "studies",
        "names of an earlier study fit no segment of this one",
        "look at the profile, name again",
    ),
    RemarkKind(
        "rule-misses",
        "models",
        "the model's rule puts more than 1 % elsewhere than the segments are",
        "let k-means come to rest (`max_iterations=`)",
    ),
    RemarkKind("left-unassigned", "models", "who is in no segment, and why", "look at drift when they are many"),
    RemarkKind(
        "unit-changed",
        "models",
        "a whole column is shifted by a usual factor between units",
        "bring it back to the unit learned",
    ),
    RemarkKind(
        "few-for-drift",
        "models",
        "so few customers move the index by chance",
        "read the shifts, or wait for more customers",
    ),
    RemarkKind(
        "periods-differ", "models", "two studies count events over periods of different length", "count over one length"
    ),
    RemarkKind("customers-of-one-time", "models", "customers who are new, or lost", "nothing"),
    RemarkKind(
        "redemptions-outside-dates",
        "campaigns",
        "redemptions before or after the campaign",
        "check the campaign's dates",
    ),
    RemarkKind(
        "redemptions-without-customer",
        "campaigns",
        "redemptions of nobody who can be recognised",
        "see how many they are",
    ),
    RemarkKind("contact-copies", "campaigns", "exact copies of a contact were dropped", "nothing"),
    RemarkKind("several-contacts", "campaigns", "customers with several different contacts", "see which row counts"),
    RemarkKind("not-in-contacts", "campaigns", "customers without a row in the contacts", "nothing, or complete them"),
    RemarkKind(
        "suppression-read",
        "campaigns",
        "how many suppression entries were read, matched somebody, matched nobody",
        "look at those that match nobody",
    ),
    RemarkKind(
        "holdout-too-small",
        "campaigns",
        "the smallest uplift that a holdout can show is above 5 points",
        "hold out more, or measure segments together",
    ),
    RemarkKind("too-small-to-say", "campaigns", "a segment's arms or responses are too few", "measure it with others"),
    RemarkKind("outcomes-of-others", "campaigns", "outcomes of customers who took no part", "nothing"),
)
