"""Copy scripts, styles and fonts from node_modules into the static files shipped with the program."""

import json
import shutil
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
MODULES = ROOT / "node_modules"
VENDOR = ROOT / "rainfront" / "web" / "static" / "vendor"
FONTS = "@fontsource-variable/atkinson-hyperlegible-"
FILES = {
    "htmx.org": ["dist/htmx.min.js", "LICENSE"],
    "bootstrap": ["dist/css/bootstrap.min.css", "dist/css/bootstrap.min.css.map", "LICENSE"],
    "uplot": ["dist/uPlot.iife.min.js", "dist/uPlot.min.css", "LICENSE"],
    f"{FONTS}next": [
        "files/atkinson-hyperlegible-next-latin-wght-normal.woff2",
        "files/atkinson-hyperlegible-next-latin-ext-wght-normal.woff2",
        "LICENSE",
    ],
    f"{FONTS}mono": [
        "files/atkinson-hyperlegible-mono-latin-wght-normal.woff2",
        "files/atkinson-hyperlegible-mono-latin-ext-wght-normal.woff2",
        "LICENSE",
    ],
}


def main() -> None:
    """Renew the folder and its list of versions and licences."""
    shutil.rmtree(VENDOR, ignore_errors=True)
    rows = []
    for package, names in FILES.items():
        folder = package.rsplit("/", 1)[-1]
        (VENDOR / folder).mkdir(parents=True)
        about = json.loads((MODULES / package / "package.json").read_text(encoding="utf-8"))
        for name in names:
            shutil.copy(MODULES / package / name, VENDOR / folder / Path(name).name)
        rows.append(
            f"| {package} | {about['version']} | {about['license']} | {', '.join(Path(n).name for n in names)} |"
        )
    table = "\n".join(["| package | version | licence | files |", "|---|---|---|---|", *rows])
    (VENDOR / "README.md").write_text(
        f"# Shipped with the program\n\nRenewed by `make vendor`; versions are set in package.json.\n\n{table}\n",
        encoding="utf-8",
    )


if __name__ == "__main__":
    main()
