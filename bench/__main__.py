"""Runs every measurement and prints what it found; nothing here passes or fails."""

from rich.console import Console
from rich.progress import track

from bench import (
    afar,
    asking,
    chains,
    codec,
    distance,
    fleet,
    house,
    publishing,
    registrar,
    rehearsing,
    startup,
    timetables,
    transferring,
    zones,
)
from bench.figure import Figure

_PARTS = (
    codec,
    asking,
    fleet,
    afar,
    distance,
    chains,
    timetables,
    startup,
    rehearsing,
    house,
    zones,
    transferring,
    publishing,
    registrar,
)


def main() -> None:
    found: list[Figure] = []
    for part in track(_PARTS, "measuring", console=Console(stderr=True)):
        found += part.figures()
    width = max(len(figure.what) for figure in found)
    print(f"{'what':{width}}  {'ours':>10}  {'against':34}  ratio  wanted")
    for figure in found:
        print(f"{figure.what:{width}}  {figure.ours:>10}  {figure.against:34}  {figure.ratio:5.2f}  {figure.wanted}")


if __name__ == "__main__":
    main()
