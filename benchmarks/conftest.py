"""As the program itself begins."""

from underglass.core.memory import keep_pages

keep_pages()
