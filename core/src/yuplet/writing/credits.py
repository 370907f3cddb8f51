"""CREDITS.txt: who made the picture and what must be said of it, for people."""

from yuplet.illustration.credit import Credit


def credits_text(title: str, credit: Credit) -> str:
    """The text of the file; says so where nothing is known.

    >>> print(credits_text("Brindle", Credit(author="Marsh Line", licence="CC0-1.0")), end="")
    Title: Brindle
    Author: Marsh Line
    Licence: Creative Commons Zero v1.0 Universal (CC0-1.0)
    Attribution: nobody has said whether it is required
    """
    if credit.is_empty:
        return f"Title: {title}\nNobody has said who made this picture or under which licence it may be used.\n"
    licence = credit.licence_name
    if licence != credit.licence:
        licence = f"{licence} ({credit.licence})"
    attribution = {True: "required", False: "not required", None: "nobody has said whether it is required"}
    lines = [
        ("Title", credit.title or title),
        ("Author", credit.author),
        ("Source", credit.source),
        ("Licence", licence),
        ("Attribution", attribution[credit.attribution]),
        ("Note", credit.note),
    ]
    return "".join(f"{name}: {value}\n" for name, value in lines if value)
