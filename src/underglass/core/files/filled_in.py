"""A page's template filled in. The library that does it is taken in only then: a window starts without."""

from __future__ import annotations


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
