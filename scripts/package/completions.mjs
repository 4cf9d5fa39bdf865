/** Completions for three shells, of what `eremos help` says: commands, then their flags, then files. */
import { readHelp } from "./help.mjs";

export function completions(help) {
  const { commands, flags } = readHelp(help);
  const says = new Map(commands.toReversed().map(({ usage, text }) => [usage.split(" ")[1], text]));
  return [
    { path: "/usr/share/bash-completion/completions/eremos", content: forBash(flags) },
    { path: "/usr/share/zsh/vendor-completions/_eremos", content: forZsh(flags, says) },
    { path: "/usr/share/fish/vendor_completions.d/eremos.fish", content: forFish(flags, says) },
  ];
}

/** Short, and with nothing in it that a shell reads as more than a text. */
function brief(text) {
  return text
    .split(/[;:(,]/)[0]
    .replace(/[^\w .-]/g, "")
    .trim();
}

function forBash(flags) {
  const cases = [...flags].map(([command, all]) => `    ${command}) flags="${[...all].join(" ")}" ;;`);
  return `# Completions of eremos(1) for bash
_eremos() {
  local word="\${COMP_WORDS[COMP_CWORD]}" flags=
  COMPREPLY=()
  if [ "$COMP_CWORD" -eq 1 ]; then
    mapfile -t COMPREPLY < <(compgen -W "${[...flags.keys(), "help"].join(" ")}" -- "$word")
    return
  fi
  case "\${COMP_WORDS[1]}" in
${cases.join("\n")}
  esac
  if [[ $word == -* ]]; then
    mapfile -t COMPREPLY < <(compgen -W "$flags" -- "$word")
  else
    compopt -o filenames 2> /dev/null
    mapfile -t COMPREPLY < <(compgen -f -- "$word")
  fi
}
complete -F _eremos eremos
`;
}

function forZsh(flags, says) {
  const commands = [...flags.keys()].map((command) => `    '${command}:${brief(says.get(command))}'`);
  const cases = [...flags].map(([command, all]) => `    ${command}) flags=(${[...all].join(" ")}) ;;`);
  return `#compdef eremos
# Completions of eremos(1) for zsh
_eremos() {
  local -a commands flags
  commands=(
${commands.join("\n")}
    'help:what there is to ask for'
  )
  if (( CURRENT == 2 )); then
    _describe -t commands command commands
    return
  fi
  case $words[2] in
${cases.join("\n")}
  esac
  if [[ $PREFIX == -* ]]; then
    compadd -a -- flags
  else
    _files
  fi
}
_eremos "$@"
`;
}

function forFish(flags, says) {
  const lines = [...flags].flatMap(([command, all]) => [
    `complete -c eremos -n __fish_use_subcommand -f -a ${command} -d '${brief(says.get(command))}'`,
    ...[...all].map((flag) => `complete -c eremos -n '__fish_seen_subcommand_from ${command}' -l ${flag.slice(2)}`),
  ]);
  return `# Completions of eremos(1) for fish
${lines.join("\n")}
complete -c eremos -n __fish_use_subcommand -f -a help -d 'what there is to ask for'
`;
}
