# Completion of ./indexa for bash: source tools/completion.bash
_indexa() {
  local commands="start serve stop test manage read split expand mine infer layout render ddl derive compare change check bench help"
  local word=${COMP_WORDS[COMP_CWORD]}
  if [ "$COMP_CWORD" -eq 1 ]; then
    mapfile -t COMPREPLY < <(compgen -W "$commands" -- "$word")
    return
  fi
  local options=--help
  case ${COMP_WORDS[1]} in
    start) options="--empty --port" ;;
    serve) options="--port" ;;
    read) options="-o -d --dialect -s --schema --tables-only --include --exclude --encoding --default-schema --name -q --help" ;;
    check) options="-s --standard -w --wordbook -d --dialect -f --format -o --fail-on --baseline --write-baseline --help" ;;
    expand | split | mine) options="-w --wordbook --help" ;;
    ddl) options="--dialect -o -s --schema --no-comments --if-not-exists --drop-first --one-file-per-object --no-header --templates --help" ;;
    derive) options="--to -s --standard -w --wordbook --schema --name --enums --numbering --subtypes -o --help" ;;
    compare) options="--ignore --format --fail-on -o --help" ;;
    change) options="--dialect --ignore -o --revert --report --allow-drops --no-comments --help" ;;
    infer) options="-o --data --least --help" ;;
    layout) options="-o --tables --suggested --style --direction --depth --help" ;;
    render) options="-o --to --tables --suggested --style --direction --depth --names --notation --theme --help" ;;
  esac
  if [[ $word == -* ]]; then
    mapfile -t COMPREPLY < <(compgen -W "$options" -- "$word")
  else
    mapfile -t COMPREPLY < <(compgen -f -- "$word")
  fi
}
complete -F _indexa indexa ./indexa
