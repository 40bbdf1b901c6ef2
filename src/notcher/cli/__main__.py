"""`python -m notcher.cli`."""

from notcher.cli import entry

if __name__ == "__main__":
    entry()
