"""How files name pictures: by an address on the web, or by the name of a picture that Relvan has
already."""

HERE = "picture"


def picture_address(name: str) -> str:
    """Returns the address by which a file names a picture that Relvan has already.

    >>> picture_address("9f2c"), held_picture("picture:9f2c")
    ('picture:9f2c', '9f2c')
    """
    return f"{HERE}:{name}"


def held_picture(address: str) -> str:
    """Returns the name of a picture that Relvan has already; it is empty when the address is one on
    the web.

    >>> held_picture("https://example.com/a.png")
    ''
    """
    scheme, _, name = address.partition(":")
    return name if scheme == HERE else ""
