"""`cleaver completion`: what a shell needs to complete commands, options and files."""

from __future__ import annotations

import os

import click
from click.shell_completion import BashComplete, ZshComplete, add_completion_class, get_completion_class
from click.shell_completion import split_arg_string as split

from cleaver.cli.printing import say

_HOW = {
    "bash": 'add to ~/.bashrc:  eval "$(cleaver completion bash)"',
    "zsh": 'add to ~/.zshrc:  eval "$(cleaver completion zsh)"',
    "fish": "run once:  cleaver completion fish > ~/.config/fish/completions/cleaver.fish",
}


class Bash(BashComplete):
    """Completion in bash, which takes a colon for the end of a word: it gets the whole line as it is, and of
    an answer what comes after the last colon."""

    source_template = """\
%(complete_func)s() {
    local IFS=$'\\n' line="${COMP_LINE:0:COMP_POINT}" word response
    word="${line##*[[:space:]]}"
    response=$(env COMP_LINE="$line" %(complete_var)s=bash_complete $1)
    COMPREPLY=()
    for found in $response; do
        local kind="${found%%%%,*}" value="${found#*,}"
        if [[ $kind == dir ]]; then
            compopt -o dirnames 2>/dev/null
        elif [[ $kind == file ]]; then
            compopt -o default 2>/dev/null
        else
            [[ $value == */ || $value == *= ]] && compopt -o nospace 2>/dev/null
            [[ $COMP_WORDBREAKS == *:* && $word == *:* ]] && value="${value#"${word%%"${word##*:}"}"}"
            COMPREPLY+=("$value")
        fi
    done
}
complete -o nosort -F %(complete_func)s %(prog_name)s 2>/dev/null ||
    complete -F %(complete_func)s %(prog_name)s
"""

    @staticmethod
    def _check_version() -> None:
        """Ask for no bash: what is written here works with 3.2 too, there without an order of its own."""

    def get_completion_args(self) -> tuple[list[str], str]:
        """Return the words before the one that is being typed, and that one."""
        line = os.environ["COMP_LINE"]
        words = split(line)
        begun = "" if not words or line[-1:].isspace() else words.pop()
        return words[1:], begun


class Zsh(ZshComplete):
    """Completion in zsh, which needs its own completion to be begun."""

    source_template = "(( $+functions[compdef] )) || { autoload -Uz compinit && compinit }\n" + (
        ZshComplete.source_template
    )


add_completion_class(Bash, "bash")
add_completion_class(Zsh, "zsh")


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
    text = made(context.find_root().command, {}, "cleaver", "_CLEAVER_COMPLETE").source()
    say(f"# {_HOW[shell]}\n{text}", wrap=False)
