"""What the build makes of the README: a page that works without the folders beside it, as on a package index.

`pages` in pyproject.toml says where the repository can be read; links and pictures become absolute from
there. Without it links become plain text, and pictures are left out.
"""

import re
from pathlib import Path

from hatchling.metadata.plugin.interface import MetadataHookInterface

PICTURE = re.compile(r"!\[([^\]]*)\]\((?!https?:)([^)]+)\)\n?")
LINK = re.compile(r"(?<!!)\[([^\]]+)\]\((?!https?:|#)([^)]+)\)")


def readable_alone(text: str, pages: str) -> str:
    """Return a page whose relative links and pictures lead to *pages*, or are gone where it is empty."""
    if pages:
        base = pages.rstrip("/")
        return re.sub(r"(\]\()(?!https?:|#)([^)]+\))", rf"\1{base}/\2", text)
    return LINK.sub(r"\1", PICTURE.sub("", re.sub(r" \(\[(?:picture|figure)\]\([^)]*\)\)", "", text)))


class ReadmeHook(MetadataHookInterface):
    """Puts the README into the metadata."""

    def update(self, metadata: dict[str, object]) -> None:
        """See hatchling."""
        text = (Path(self.root) / "README.md").read_text(encoding="utf-8")
        page = readable_alone(text, str(self.config.get("pages", "")))
        metadata["readme"] = {"content-type": "text/markdown", "text": page}
