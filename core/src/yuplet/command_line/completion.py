"""`completion`: what a shell needs to complete commands, as the library shtab writes it."""

import argparse


def print_it(options: argparse.Namespace) -> int:
    """`completion`: a script for one of the shells."""
    import shtab

    from yuplet.command_line.parser import parser

    print(shtab.complete(parser(), options.shell))
    return 0
