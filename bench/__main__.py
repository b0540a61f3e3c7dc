"""Runs every measurement and prints what it found; nothing here passes or fails."""

from bench import afar, asking, chains, codec, fleet, publishing, registrar, rehearsing, startup, timetables, transferring, zones
from bench.figure import Figure


def main() -> None:
    found: list[Figure] = []
    for part in (codec, asking, fleet, afar, chains, timetables, startup, rehearsing, zones, transferring, publishing, registrar):
        found += part.figures()
    width = max(len(figure.what) for figure in found)
    print(f"{'what':{width}}  {'ours':>10}  {'against':34}  ratio  wanted")
    for figure in found:
        print(f"{figure.what:{width}}  {figure.ours:>10}  {figure.against:34}  {figure.ratio:5.2f}  {figure.wanted}")


if __name__ == "__main__":
    main()
