"""`python -m cleaver`: the same as the `cleaver` command."""

from cleaver.cli.main import main

main()
