"""Make the report's fonts: Atkinson Hyperlegible Next in two weights, and DejaVu Sans for what it lacks.

Run once; the results are kept in the package. Needs ``fonttools[woff]``, the front end's packages (which carry the
variable font) and DejaVuSans.ttf (Debian: fonts-dejavu-core). Figures get the font's own tabular forms.
"""

from __future__ import annotations

import shutil
import sys
import tempfile
from pathlib import Path

from fontTools.merge import Merger
from fontTools.ttLib import TTFont
from fontTools.varLib.instancer import instantiateVariableFont

ROOT = Path(__file__).resolve().parent.parent
SOURCE = ROOT / "frontend" / "node_modules" / "@fontsource-variable" / "atkinson-hyperlegible-next" / "files"
DEJAVU = Path("/usr/share/fonts/truetype/dejavu/DejaVuSans.ttf")
TARGET = ROOT / "src" / "even_static" / "formats" / "fonts"
WEIGHTS = {"Regular": 400, "Bold": 700}
NAMES = {1: "Even Static Report", 3: "EvenStaticReport", 4: "Even Static Report", 6: "EvenStaticReport"}


def tabular(font: TTFont) -> None:
    """Let the figures be the font's tabular ones, by their substitution table."""
    if "GSUB" not in font:
        return
    table = font["GSUB"].table
    wanted = {i for f in table.FeatureList.FeatureRecord if f.FeatureTag == "tnum" for i in f.Feature.LookupListIndex}
    swaps: dict[str, str] = {}
    for i in wanted:
        for sub in table.LookupList.Lookup[i].SubTable:
            swaps |= getattr(getattr(sub, "ExtSubTable", sub), "mapping", {})
    for cmap in font["cmap"].tables:
        cmap.cmap = {code: swaps.get(name, name) for code, name in cmap.cmap.items()}


def main() -> None:
    """Write the three files."""
    TARGET.mkdir(exist_ok=True)
    for style, weight in WEIGHTS.items():
        with tempfile.TemporaryDirectory() as folder:
            parts = []
            for part in ("latin", "latin-ext"):
                font = TTFont(SOURCE / f"atkinson-hyperlegible-next-{part}-wght-normal.woff2")
                font = instantiateVariableFont(font, {"wght": weight})
                tabular(font)
                for tag in ("GSUB", "GPOS", "GDEF", "STAT", "avar", "HVAR", "MVAR"):
                    if tag in font:
                        del font[tag]
                font.flavor = None
                parts.append(str(Path(folder) / f"{part}.ttf"))
                font.save(parts[-1])
            merged = Merger().merge(parts)
            for record in merged["name"].names:
                if record.nameID in NAMES:
                    record.string = NAMES[record.nameID] + (f" {style}" if record.nameID == 4 else "")
                if record.nameID == 6:
                    record.string = f"EvenStaticReport-{style}"
            merged.save(TARGET / f"report-{style.lower()}.ttf")
    if not DEJAVU.exists():
        sys.exit(f"{DEJAVU} is needed: apt-get install fonts-dejavu-core")
    shutil.copy(DEJAVU, TARGET / "dejavu-sans.ttf")


if __name__ == "__main__":
    main()
