# bash completion for gyrax
_gyrax() {
  local word=${COMP_WORDS[COMP_CWORD]} before=${COMP_WORDS[COMP_CWORD - 1]} verb=${COMP_WORDS[1]}
  local verbs="check faults rehearse handsets calibrate watch run links bring-up logbook stand-in demo --help --version"
  if ((COMP_CWORD == 1)); then
    mapfile -t COMPREPLY < <(compgen -W "$verbs" -- "$word")
    return
  fi
  case $before in
    --csv | --plot | --page | --logbook | --record | --track | --out) mapfile -t COMPREPLY < <(compgen -f -- "$word") ; return ;;
    --deny) mapfile -t COMPREPLY < <(compgen -W "doubtful dangerous cannot_work nothing" -- "$word") ; return ;;
  esac
  if [[ $word == -* ]]; then
    local options="--help"
    case $verb in
      check) options="--help --json --deny --wiring" ;;
      faults) options="--help --all --axis --failure --plot --page --campaign --seed --replace --json" ;;
      rehearse) options="--help --csv --plot --replace --axis --span --json" ;;
      handsets) options="--help --all --json" ;;
      calibrate) options="--help --track --out --replace --wire --device --name --step --json" ;;
      watch) options="--help --wire --hands --for --plain --json --record --replace" ;;
      run) options="--help --hands --for --plain --json --record --replace --logbook --no-logbook --keep --keep-mb --no-real-time --typed" ;;
      logbook) options="--help --csv --plot --replace --axis --span --json" ;;
      bring-up) options="--help --axis --out --hands --for --no-real-time" ;;
      links) options="--help --link --print --for --json" ;;
      stand-in) options="--help --link --handset --for --every" ;;
      demo) options="--help --out --replace" ;;
    esac
    mapfile -t COMPREPLY < <(compgen -W "$options" -- "$word")
    return
  fi
  if [[ $verb == logbook ]]; then
    mapfile -t COMPREPLY < <(compgen -f -X '!*.jsonl.zst' -- "$word"; compgen -d -- "$word")
    return
  fi
  mapfile -t COMPREPLY < <(compgen -f -X '!*.toml' -- "$word"; compgen -d -- "$word")
}
complete -o filenames -F _gyrax gyrax
