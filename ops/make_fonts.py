"""Makes the fonts that text in vector art is drawn with, from the variable fonts that the front end ships.

By hand, when those change: needs `fonttools` and `brotli`.    python ops/make_fonts.py

Source Sans 3 is under the SIL Open Font License 1.1, which keeps the name 'Source' for the original; so what is made of it
is called Yuplet Sans.
"""

import tempfile
from pathlib import Path

from fontTools.merge import Merger
from fontTools.ttLib import TTFont
from fontTools.varLib.instancer import instantiateVariableFont

ROOT = Path(__file__).resolve().parent.parent
FILES = ROOT / "web" / "node_modules" / "@fontsource-variable" / "source-sans-3" / "files"
OUT = ROOT / "core" / "src" / "yuplet" / "fonts"
SUBSETS = ("latin", "latin-ext", "vietnamese", "greek", "greek-ext", "cyrillic", "cyrillic-ext")
STYLES = {
    "Regular": ("normal", 400),
    "Bold": ("normal", 700),
    "Italic": ("italic", 400),
    "Bold Italic": ("italic", 700),
}
FAMILY = "Yuplet Sans"


def main() -> None:
    for style, (slope, weight) in STYLES.items():
        with tempfile.TemporaryDirectory() as folder:
            parts = []
            for subset in SUBSETS:
                font = TTFont(FILES / f"source-sans-3-{subset}-wght-{slope}.woff2")
                font.flavor = None
                still = instantiateVariableFont(font, {"wght": weight})
                for table in ("STAT", "MVAR", "HVAR", "GDEF", "GSUB", "GPOS", "gasp", "meta", "DSIG"):
                    if table in still and table not in ("GPOS",):
                        del still[table]
                path = Path(folder, f"{subset}.ttf")
                still.save(path)
                parts.append(str(path))
            merged = Merger().merge(parts)
            name(merged, style)
            merged.save(OUT / f"yuplet-sans-{style.lower().replace(' ', '-')}.ttf")


def name(font: TTFont, style: str) -> None:
    """Give a font our name, and the marks of its style."""
    table = font["name"]
    for record in list(table.names):
        if record.nameID not in (0, 13, 14):
            table.removeNames(nameID=record.nameID)
    texts = {
        1: FAMILY,
        2: style,
        3: f"{FAMILY} {style}",
        4: f"{FAMILY} {style}",
        6: f"YupletSans-{style.replace(' ', '')}",
    }
    for number, text in texts.items():
        table.setName(text, number, 3, 1, 0x409)
    is_bold, is_italic = "Bold" in style, "Italic" in style
    font["OS/2"].usWeightClass = 700 if is_bold else 400
    font["OS/2"].fsSelection = (is_italic * 1) | (is_bold * 32) | ((not is_bold and not is_italic) * 64)
    font["head"].macStyle = is_bold * 1 | is_italic * 2


if __name__ == "__main__":
    main()
