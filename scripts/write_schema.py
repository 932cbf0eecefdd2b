"""Write docs/case-file.schema.json from the knowledge, and docs/shop-archive.schema.json from the models."""

import json
import os
import sys
from pathlib import Path

import django

ROOT = Path(__file__).resolve().parents[1]
sys.path.insert(0, str(ROOT))
os.environ.setdefault("DJANGO_SETTINGS_MODULE", "rainfront.settings.test")
django.setup()

from chargepath.case.file import schema as of_a_case  # noqa: E402
from chargepath.knowledge.loader import shipped  # noqa: E402
from rainfront.exchange.schema import schema as of_a_shop  # noqa: E402

if __name__ == "__main__":
    for name, schema in (("case-file", of_a_case(shipped())), ("shop-archive", of_a_shop())):
        text = json.dumps(schema, indent=2) + "\n"
        (ROOT / "docs" / f"{name}.schema.json").write_text(text, encoding="utf-8")
