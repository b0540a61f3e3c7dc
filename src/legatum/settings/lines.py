"""Where something stands in a settings file: the line of a key, or of its table."""

import re


class Lines:
    """``text``: of the file."""

    def __init__(self, text: str) -> None:
        self._lines = text.splitlines()

    def of(self, where: str, key: str) -> int:
        """The line of ``key`` in the table ``where``; the table's own line when the key has none, else the first."""
        here, table_line = "", 0
        for number, line in enumerate(self._lines, 1):
            header = re.match(r"\s*\[+\s*([^\]]+?)\s*\]+", line)
            if header:
                here = header[1].replace('"', "")
                if here == where:
                    table_line = number
                if here == (f"{where}.{key}" if where else key) or (not where and here.split(".")[0] == key):
                    return number
            elif here == where and key and re.match(rf'\s*"?{re.escape(key)}"?\s*[.=]', line):
                return number
        if table_line == 0 and "." in where:  # written within the table above it
            return self.of(*where.rsplit(".", 1))
        return table_line or 1
