"""Every benchmark, as a ratio to a floor measured in the same run: `make bench`."""

from itertools import chain

from benchmarks import (
    assigning,
    by_blocks,
    count_study,
    density,
    events,
    kmeans_iterations,
    kmeans_starts,
    preparing,
    profiling,
    reading,
    report,
    silhouettes,
    startup,
    trees,
)

ROOMS = (
    reading,
    events,
    preparing,
    kmeans_iterations,
    kmeans_starts,
    silhouettes,
    count_study,
    trees,
    density,
    profiling,
    assigning,
    by_blocks,
    report,
    startup,
)


def main() -> None:
    """Run each benchmark and print its lines."""
    print(f"{'what':<48}{'time':>10}{'floor':>10}{'ratio':>8}  floor is")
    for result in chain.from_iterable(room.run() for room in ROOMS):
        print(result)


if __name__ == "__main__":
    main()
