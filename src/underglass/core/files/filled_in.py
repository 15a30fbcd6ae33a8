"""A page's template filled in. The library that does it is taken in only then: a window starts without."""

from __future__ import annotations

from underglass.core.data import data_folder


class BadTemplate(ValueError):
    """What is wrong with the template, in the library's words."""


def filled_in(template: str, **values: object) -> str:
    """The text with the values in it, marks in them told from HTML. Raises ``BadTemplate``."""
    from jinja2 import Environment, TemplateError

    try:
        made = Environment(autoescape=True, trim_blocks=True, lstrip_blocks=True).from_string(template)
        return made.render(**values)
    except TemplateError as error:
        raise BadTemplate(str(error)) from None


def page_of(name: str, **values: object) -> str:
    """A report's page from the template of that name, all of them in one style."""
    kept = data_folder() / "templates"
    style = (kept / "report.css").read_text("utf-8")
    return filled_in((kept / f"{name}.html").read_text("utf-8"), style=style, **values)
