"""Every benchmark, as a ratio to a floor measured in the same run: `make bench`."""

from benchmarks import kmeans_round, startup


def main() -> None:
    """Run each benchmark and print its lines."""
    print(f"{'what':<44}{'time':>10}{'floor':>10}{'ratio':>8}  floor is")
    for result in (*kmeans_round.run(), *startup.run()):
        print(result)


if __name__ == "__main__":
    main()
