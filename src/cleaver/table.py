"""Table: rows under named columns, for pandas, CSV and Parquet. Knows nothing of what is in them. Start at
`Table`."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence

from cleaver.errors import MissingExtraError, UsageError

TYPE_CHECKING = False  # typing is slow to import, and only checkers need it
if TYPE_CHECKING:
    from os import PathLike
    from pathlib import Path
    from typing import Any

_NO_TYPES: Mapping[str, str] = {}
SUFFIXES = (".csv", ".parquet")


class Table:
    """Rows under named columns; what a row lacks is None.

    A column holds numbers, or texts, or truths. Where both numbers and texts would stand in one, all of it is
    text. Where a table is one of several that belong together, *types* says which of pandas' types a column
    has, also where all that stands in it is None, or whole.
    """

    columns: tuple[str, ...]
    rows: list[tuple[Any, ...]]

    def __init__(
        self, columns: Sequence[str], rows: Iterable[Sequence[Any]], types: Mapping[str, str] = _NO_TYPES
    ) -> None:
        self.columns, self.rows = tuple(columns), [tuple(row) for row in rows]
        self._types = types

    def __len__(self) -> int:
        return len(self.rows)

    def __iter__(self) -> Iterator[tuple[Any, ...]]:
        return iter(self.rows)

    def __repr__(self) -> str:
        return f"<Table of {len(self)} rows: {', '.join(self.columns)}>"

    def to_frame(self) -> Any:
        """Return the rows as a pandas DataFrame, numbers and texts in columns of pandas' own types.

        Raises:
            MissingExtraError: pandas is not installed (extra "lab").
        """
        try:
            import pandas  # heavy, and only those who analyse need it
        except ImportError:
            raise MissingExtraError("a table as a DataFrame", "lab") from None
        frame = pandas.DataFrame(self.rows, columns=list(self.columns), dtype=object)
        return frame.convert_dtypes().astype(dict(self._types))

    def to_csv(self) -> str:
        """Return the rows as CSV, a row of titles first; what a row lacks is empty. A text that a
        spreadsheet would work out (one that begins with =, +, - or @) has an apostrophe before it, and
        stays a text."""
        import csv
        import io

        told = io.StringIO(newline="")
        writer = csv.writer(told, lineterminator="\n")
        writer.writerow(map(_as_text, self.columns))
        writer.writerows(map(_as_text, row) for row in self.rows)
        return told.getvalue()

    def write(self, path: str | PathLike[str]) -> None:
        """Write the rows to *path*, whole or not at all: as CSV (UTF-8, a row of titles first) where its name
        ends in .csv, as Parquet where it ends in .parquet.

        Raises:
            UsageError: Another ending.
            MissingExtraError: Parquet without pandas and pyarrow (extra "lab").
            OSError: The file cannot be written.
        """
        from pathlib import Path  # slow to import, and few need it

        from cleaver import files

        target = Path(path)
        check_ending(target)
        if target.suffix.lower() == ".csv":
            files.write(target, self.to_csv())
            return
        frame = self.to_frame()
        try:
            body: bytes = frame.to_parquet(None, index=False)
        except ImportError:
            raise MissingExtraError("a table as Parquet", "lab") from None
        files.write(target, body)


def _as_text(cell: Any) -> Any:
    return f"'{cell}" if isinstance(cell, str) and cell.startswith(("=", "+", "-", "@", "\t", "\r")) else cell


def check_ending(path: Path) -> None:
    """Refuse a file whose ending does not say what kind of table it is to be."""
    if path.suffix.lower() not in SUFFIXES:
        raise UsageError(f"{path.name}: the name of a table must end in {' or '.join(SUFFIXES)}")
