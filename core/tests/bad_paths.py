"""Paths that must not be stored anywhere: for every door that takes one."""

LONG = "n" * 300
BAD = (
    # absolute, or with a drive
    "/etc/yuplet", "//server/share/x", "/", "C:/x", "C:x", "c:\\x", "\\\\server\\share\\x", "\\x", "/x.png",
    # climbing
    "..", "../x", "../../x", "a/../../x", "a/..", "a/../b", "..\\x", "a\\..\\b", "a\\b", "./../x", "parts/../../../../x",
    # not normalised
    ".", "./x", "a/./b", "a//b", "a/", "", " ", "a/ /b",
    # invisible characters
    "a\0b", "\0", "a\nb", "a\rb", "a\tb", "a\x1bb", "a\x7fb", "a\u202eb", "a\u2028b", "a\ud800b", "\ufeffa",
    # names that a system keeps for a device, or takes no file under
    "con", "con.png", "a/CON", "nul.txt", "aux", "prn.png", "COM1", "lpt9.png", "conin$", "CONOUT$",
    # characters and ends that not every system takes
    "a:b", "a*b", "a?b", 'a"b', "a<b", "a>b", "a|b", "trailing.", "trailing ", " leading", ".hidden", "a./b", "a /b",
    # too long
    LONG, f"a/{LONG}", "/".join(["n" * 100] * 10), "é" * 140,
)  # fmt: skip
