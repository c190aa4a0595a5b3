"""What a page is: its entry in the order of work."""

from dataclasses import dataclass

from flask import Blueprint


@dataclass(frozen=True)
class Page:
    """A page's entry.

    Parameters
    ----------
    name : str. In the address. label : str. In the menu; empty keeps it out of the menu.
    number : its place in the order of work; 0 stands outside the numbering.
    blueprint : its routes.
    """

    name: str
    label: str
    number: int
    blueprint: Blueprint
