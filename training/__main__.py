"""One command for all of training: `python -m training COMMAND ...`."""

from __future__ import annotations

import importlib
import sys

COMMANDS = {
    "collect": ("collect", "collect samples to train a network on"),
    "fit": ("fit", "train a network on samples"),
    "mix": ("mix", "mix two rounds of a network"),
    "features": ("features", "let a network give its last layer's inputs too"),
    "quantise": ("quantise", "write a network in 8 bits, as it ships"),
    "doubt": ("doubt", "find the weights of doubt"),
    "benchmark-clips": ("benchmark_clips", "write made-up clips for the benchmark"),
}


def main(arguments: list[str]) -> int:
    """Runs a command; lists them where none is named. Only what a command needs is imported."""
    name, *rest = arguments or ["--help"]
    if name not in COMMANDS:
        print("python -m training COMMAND ...; each says more with --help:")
        for command, (_, says) in COMMANDS.items():
            print(f"  {command:16} {says}")
        return 0 if name in ("-h", "--help") else 2
    importlib.import_module(f"training.{COMMANDS[name][0]}").main(rest)
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
