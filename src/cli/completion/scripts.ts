/** What shells read: each asks the program what may stand there, and leaves files to itself. */

const BASH = `# Completion of emballage for bash.
_emballage() {
  local current="\${COMP_WORDS[COMP_CWORD]}" line
  COMPREPLY=()
  while IFS= read -r line; do
    if [ "\${line%%$'\\t'*}" = ":files" ]; then
      compopt -o filenames 2>/dev/null
      while IFS= read -r line; do COMPREPLY+=("$line"); done < <(compgen -f -- "$current")
    else
      COMPREPLY+=("\${line%%$'\\t'*}")
    fi
  done < <("\${COMP_WORDS[0]}" completion propose -- "\${COMP_WORDS[@]:1:COMP_CWORD}" 2>/dev/null)
}
complete -F _emballage emballage
`;

const ZSH = `#compdef emballage
# Completion of emballage for zsh.
_emballage() {
  local line word
  local -a proposed
  for line in "\${(@f)$("\${words[1]}" completion propose -- "\${(@)words[2,CURRENT]}" 2>/dev/null)}"; do
    word="\${line%%$'\\t'*}"
    if [[ "$word" == ":files" ]]; then
      _files
    elif [[ -n "$word" ]]; then
      proposed+=("\${word//:/\\\\:}:\${line#*$'\\t'}")
    fi
  done
  (( \${#proposed} )) && _describe 'word' proposed
}
if [ "$funcstack[1]" = "_emballage" ]; then _emballage "$@"; else compdef _emballage emballage; fi
`;

const FISH = `# Completion of emballage for fish.
function __emballage_propose
  set -l words (commandline -opc)
  set -l current (commandline -ct)
  for line in ($words[1] completion propose -- $words[2..] "$current" 2>/dev/null)
    if string match -q ':files*' -- $line
      __fish_complete_path "$current"
    else
      echo $line
    end
  end
end
complete -c emballage -f -a '(__emballage_propose)'
`;

/** The script that a shell reads to complete our commands. */
export function scriptFor(shell: 'bash' | 'zsh' | 'fish'): string {
  return { bash: BASH, zsh: ZSH, fish: FISH }[shell];
}
