"""What Python's own command line parser says, so that it is said in the person's language too."""

import argparse

from notcher.wording.catalogue import language
from notcher.wording.say import later, tr

WORDS = (
    later("usage: "),
    later("positional arguments"),
    later("options"),
    later("show this help message and exit"),
    later("show program's version number and exit"),
    later("unrecognized arguments: %s"),
    later("not allowed with argument %s"),
    later("ignored explicit argument %r"),
    later("the following arguments are required: %s"),
    later("expected one argument"),
    later("expected at most one argument"),
    later("expected at least one argument"),
    later("ambiguous option: %(option)s could match %(matches)s"),
    later("invalid %(type)s value: %(value)r"),
    later("invalid choice: %(value)r (choose from %(choices)s)"),
    later("unknown parser %(parser_name)r (choices: %(choices)s)"),
    later("argument %(argument_name)s: %(message)s"),
    later("%(prog)s: error: %(message)s\n"),
)
"""As they stand in the standard library's argparse, Python 3.11 to 3.13."""


def speak_for_argparse() -> None:
    """Have argparse look its sentences up where everything else is looked up."""
    # It looks up through two names of its own module; there is no other way in.
    vars(argparse).update(_=tr, ngettext=lambda one, many, n: language().many(one, many, n))
