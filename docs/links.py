"""What the documentation site does with links that lead out of its folder."""

from __future__ import annotations

import re
from typing import Any


def on_page_markdown(markdown: str, page: Any, **_: Any) -> str:
    """A page whose links to examples lead to the page of examples, and those to code say its name."""
    up = "../" * page.file.src_uri.count("/")
    found = re.sub(
        r"\]\((?:\.\./)+examples/(?:dashboard/)?(\w+)\.py\)", rf"]({up}examples.md#\1)", markdown
    )
    return re.sub(r"\[([^]]+)\]\((?:\.\./)+src/([^)]+)\)", r"\1 (`src/\2`)", found)
