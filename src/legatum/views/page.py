"""HTML pages from the templates beside: everything from the network escaped, control characters spelt out. No outside
parts, no script."""

from pathlib import Path

from legatum.core.text.printable import clean

_PAGES = Path(__file__).parent / "pages"


def render(template: str, **values: object) -> str:
    """The page of a template with these values."""
    from jinja2 import Environment, FileSystemLoader, StrictUndefined

    environment = Environment(
        loader=FileSystemLoader(_PAGES),
        autoescape=True,
        undefined=StrictUndefined,
        trim_blocks=True,
        lstrip_blocks=True,
    )
    environment.filters["clean"] = clean
    return environment.get_template(template).render(**values)
