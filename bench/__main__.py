"""Run every benchmark and print its table."""

import os

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "rainfront.settings.test")

import django

django.setup()

from bench import advice, boards, devices, lessons, optimum, pages, tables, traces  # noqa: E402


def main() -> None:
    """Print all tables."""
    for module in (advice, traces, boards, optimum, lessons, devices, pages, tables):
        for line in module.run():
            print(line)
        print()


if __name__ == "__main__":
    main()
