"""Write docs/case-file.schema.json from the knowledge."""

import json
import sys
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
sys.path.insert(0, str(ROOT))

from chargepath.case.file import schema  # noqa: E402
from chargepath.knowledge.loader import shipped  # noqa: E402

TARGET = ROOT / "docs" / "case-file.schema.json"

if __name__ == "__main__":
    TARGET.write_text(json.dumps(schema(shipped()), indent=2) + "\n", encoding="utf-8")
