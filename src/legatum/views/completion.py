"""Completion for shells, written out whole: commands, options, and values where only some are possible; files
everywhere else.

Each script is one function that finds out at which command the line is, and one table of what may follow there.
"""

from collections.abc import Mapping, Sequence

Words = tuple[str, ...]
Option = tuple[tuple[str, ...], str, tuple[str, ...], str]
"""Flags, what stands after it, the choices, what it is for."""
Entry = tuple[Words, list[str], list[Option], list[tuple[str, ...]]]
"""The words of a command, the commands below it, its options, the choices of its arguments."""

_OF_FILES = ("FILE", "DIR", "PLACE", "LIST")


def bash(entries: Sequence[Entry], summaries: Mapping[Words, str]) -> str:
    """For ``source <(legatum completion bash)``."""
    return f"""# Completion of legatum for bash.
_legatum() {{
  local cur=${{COMP_WORDS[COMP_CWORD]}} prev=${{COMP_WORDS[COMP_CWORD-1]}} at= word words= values=
{_finding("${COMP_WORDS[@]:1:COMP_CWORD-1}", entries)}
  case "$at $prev" in
{_values(entries)}
    *) ;;
  esac
  case "$at" in
{_following(entries)}
  esac
  [ -n "$values" ] && words=$values
  [ "$values" = "<file>" ] && {{ COMPREPLY=(); return; }}
  COMPREPLY=($(compgen -W "$words" -- "$cur"))
}}
complete -o default -F _legatum legatum
"""


def zsh(entries: Sequence[Entry], summaries: Mapping[Words, str]) -> str:
    """For ``source <(legatum completion zsh)``, or a file ``_legatum`` in ``$fpath``."""
    return f"""#compdef legatum
# Completion of legatum for zsh.
_legatum() {{
  local at= word wanted= values= prev=${{words[CURRENT-1]}}
{_finding("${words[@]:1:$((CURRENT-2))}", entries)}
  case "$at $prev" in
{_values(entries)}
    *) ;;
  esac
  case "$at" in
{_following(entries).replace("words=", "wanted=")}
  esac
  [ -n "$values" ] && wanted=$values
  if [ "$wanted" = "<file>" ]; then _files; return; fi
  compadd -- ${{=wanted}}
  [[ ${{words[CURRENT]}} == -* || -z $at ]] || _files
}}
[ "$funcstack[1]" = "_legatum" ] && _legatum "$@" || compdef _legatum legatum
"""


def fish(entries: Sequence[Entry], summaries: Mapping[Words, str]) -> str:
    """For ``legatum completion fish | source``."""
    known = " ".join(f"'{' '.join(words)}'" for words, *_ in entries if words)
    lines = [
        "# Completion of legatum for fish.",
        "function __legatum_at",
        "  set -l at",
        "  for word in (commandline -opc)[2..-1]",
        '    set -l longer (string trim -- "$at $word")',
        f"    contains -- $longer {known}; and set at $longer",
        "  end",
        '  test "$at" = "$argv[1]"',
        "end",
        "complete -c legatum -n '__legatum_at \"\"' -f",
    ]
    for words, below, options, arguments in entries:
        here = f"complete -c legatum -n '__legatum_at \"{' '.join(words)}\"'"
        lines += [f"{here} -a {name} -d {_quoted(summaries[(*words, name)])}" for name in below]
        lines += [f"{here} -a {_quoted(' '.join(choices))}" for choices in arguments]
        for flags, value, choices, text in options:
            typed = " ".join(f"-l {flag[2:]}" if flag.startswith("--") else f"-s {flag[1:]}" for flag in flags)
            given = f" -x -a {_quoted(' '.join(choices))}" if choices else " -r" if value else ""
            lines.append(f"{here} {typed}{given} -d {_quoted(text)}")
    return "\n".join(lines) + "\n"


def _finding(words: str, entries: Sequence[Entry]) -> str:
    """Which command the line is at: ``at`` becomes its words, apart by blanks."""
    known = "|".join(f'"{" ".join(each)}"' for each, *_ in entries if each)
    return f"""  for word in "{words}"; do
    case "${{at:+$at }}$word" in
      {known}) at="${{at:+$at }}$word" ;;
    esac
  done"""


def _values(entries: Sequence[Entry]) -> str:
    """What may follow an option that wants a value."""
    lines = []
    for words, _, options, _ in entries:
        at = " ".join(words)
        for flags, value, choices, _ in options:
            patterns = "|".join(f'"{at} {flag}"' for flag in flags)
            if choices:
                lines.append(f'    {patterns}) values="{" ".join(choices)}" ;;')
            elif value and any(word in value for word in _OF_FILES):
                lines.append(f'    {patterns}) values="<file>" ;;')
    return "\n".join(lines)


def _following(entries: Sequence[Entry]) -> str:
    """What may follow a command: those below it, its options, the choices of its arguments."""
    lines = []
    for words, below, options, arguments in entries:
        every = [
            *below,
            *(flag for flags, *_ in options for flag in flags),
            *(choice for choices in arguments for choice in choices),
        ]
        lines.append(f'    "{" ".join(words)}") words="{" ".join(every)}" ;;')
    return "\n".join(lines)


def _quoted(text: str) -> str:
    return "'" + text.replace("\\", "\\\\").replace("'", "\\'") + "'"
