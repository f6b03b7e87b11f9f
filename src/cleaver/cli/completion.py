"""`cleaver completion`: what a shell needs to complete commands, options and files."""

from __future__ import annotations

import click
from click.shell_completion import get_completion_class

from cleaver.cli.printing import say

_HOW = {
    "bash": 'add to ~/.bashrc:  eval "$(cleaver completion bash)"',
    "zsh": 'add to ~/.zshrc:  eval "$(cleaver completion zsh)"',
    "fish": "run once:  cleaver completion fish > ~/.config/fish/completions/cleaver.fish",
}


@click.command("completion")
@click.argument("shell", type=click.Choice(list(_HOW)))
@click.pass_context
def command(context: click.Context, shell: str) -> None:
    """Print what SHELL needs so that Tab completes cleaver's commands, options and files.

    \b
    bash:  eval "$(cleaver completion bash)"                                   in ~/.bashrc
    zsh:   eval "$(cleaver completion zsh)"                                    in ~/.zshrc
    fish:  cleaver completion fish > ~/.config/fish/completions/cleaver.fish

    \b
    Example:  cleaver completion bash
    """
    made = get_completion_class(shell)
    assert made is not None, shell  # click has all three
    say(f"# {_HOW[shell]}\n{made(context.find_root().command, {}, 'cleaver', '_CLEAVER_COMPLETE').source()}")
