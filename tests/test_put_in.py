"""A bad value that was put into a container after that was made."""

from __future__ import annotations

import pytest

from jamkey.follow.sources import Sources
from jamkey.pipeline import diagnose, read

PUT = [
    (
        {
            "gain.py": "from scale import read\n\nfor hive, kilos in read().items():\n    print(hive, kilos[0])\n",
            "scale.py": "def read():\n    found = {'north': [31.2]}\n    if found['north'] == 3:\n        pass\n    found['oak'] = None\n    return found\n",
        },
        "Traceback (most recent call last):\n  File \"gain.py\", line 4, in <module>\n    print(hive, kilos[0])\n                ~~~~~^^^\nTypeError: 'NoneType' object is not subscriptable\n",
        ("scale.py", 5),
    ),
    (
        {
            "gain.py": "def read():\n    rows = []\n    rows.append([31.2])\n    rows.append(None)\n    return rows\n\n\nfor row in read():\n    print(row[0])\n"
        },
        "Traceback (most recent call last):\n  File \"gain.py\", line 9, in <module>\n    print(row[0])\n          ~~~^^^\nTypeError: 'NoneType' object is not subscriptable\n",
        ("gain.py", 4),
    ),
    (
        {
            "gain.js": "function read() {\n  const found = [];\n  found[0] = [31.2];\n  found[1] = null;\n  return found;\n}\nconst rows = read();\nfor (const row of rows) {\n  console.log(row[0]);\n}\n"
        },
        "/apiary/gain.js:9\n  console.log(row[0]);\n                 ^\n\nTypeError: Cannot read properties of null (reading '0')\n    at Object.<anonymous> (/apiary/gain.js:9:18)\n",
        ("gain.js", 4),
    ),
]


@pytest.mark.parametrize(("files", "text", "root"), PUT, ids=["key", "append", "javascript"])
def test_what_is_put_into_a_container_later_is_found(files: dict[str, str], text: str, root: tuple[str, int]) -> None:
    jam = diagnose(read(text)[-1], Sources(texts=files))
    found = next(item for item in jam.roots[:3] if (item.file, item.line) == root)
    if jam.runtime == "python":
        assert found.steps[-1].what == "put in"
