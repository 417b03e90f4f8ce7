#compdef gyrax
# zsh completion for gyrax
local rig='1:rig:_files -g "*.toml"' json='--json[for scripts]' replace='--replace[even where these files are there already]'
local csv='--csv[write all signals]:file:_files' plot='--plot[draw positions and speeds]:picture:_files'
local axis='--axis[of the plot: one axis]:axis:' span='--span[in seconds]:FROM\:TO:'
local -a live=(
  '--hands[a recorded session plays]:session:_files -g "*.toml"' '--for[end by itself]:seconds:' '--plain[lines, no screen]'
  '--record[record at once]:name:_files' $json $replace
)
if ((CURRENT == 2)); then
  _values verb check faults rehearse handsets calibrate watch run links bring-up logbook stand-in demo --help --version
  return
fi
local verb=$words[2]
words=("${(@)words[2,-1]}")
((CURRENT--))
case $verb in
  check)
    _arguments --help $rig '2:edited:_files -g "*.toml"' $json \
      '--deny[exit with 1 from this severity on]:severity:(doubtful dangerous cannot_work nothing)' \
      '--wiring[a list for whoever solders]'
    ;;
  faults)
    _arguments --help $rig '--all[every row]' '--axis[this axis alone]:axis:' '--failure[this failure alone]:code:' $plot \
      '--page[write it as Markdown]:file:_files' '--campaign[random hands and failures]:ticks:' '--seed[of the campaign]:seed:' \
      $replace $json
    ;;
  rehearse) _arguments --help $rig '2:session:_files -g "*.toml"' $csv $plot $replace $axis $span $json ;;
  handsets) _arguments --help '--all[also what no rig can use]' $json ;;
  calibrate)
    _arguments --help '--track[a recording]:track:_files -g "*.evemu"' '--out[write the calibration]:file:_files' $replace \
      '--wire[it hangs there]:wire:' '--device[which one]:id:' \
      '--name[a code that is another control]:CODE=control:' '--step[seconds]:seconds:' $json
    ;;
  watch) _arguments --help $rig '--wire[a handset hangs there]:wire:' $live ;;
  run)
    _arguments --help $rig $live '--logbook[where the record goes]:file:_files' \
      '--no-logbook[the last minute alone]' '--keep[logbooks at most]:number:' \
      '--keep-mb[megabytes of them]:number:' '--no-real-time[ordinary priority]' \
      '--typed[actions from standard input]'
    ;;
  logbook) _arguments --help '1:logbook:_files -g "*.jsonl.zst"' $csv $plot $replace $axis $span $json ;;
  bring-up)
    _arguments --help $rig '--axis[this axis alone]:axis:' '--out[write the rig there]:file:_files' \
      '--hands[a recorded session plays]:session:_files -g "*.toml"' '--for[end each axis by itself]:seconds:' \
      '--no-real-time[ordinary priority]'
    ;;
  links)
    _arguments --help $rig '--link[this link alone]:link:' '--print[every frame as it goes by]' \
      '--for[so many seconds]:seconds:' $json
    ;;
  stand-in)
    _arguments --help '1:kind:(board handset)' '2:rig:_files -g "*.toml"' '3:session:_files -g "*.toml"' \
      '--link[which link of the rig]:link:' '--handset[which handset of the rig]:handset:' \
      '--for[end after so many seconds]:seconds:' '--every[tell positions so often]:seconds:'
    ;;
  demo) _arguments --help '--out[the folder]:folder:_files -/' $replace ;;
esac
