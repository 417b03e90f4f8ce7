# fish completion for gyrax
complete -c gyrax -n __fish_use_subcommand -f -l help
complete -c gyrax -n __fish_use_subcommand -f -l version
complete -c gyrax -n __fish_use_subcommand -f -a "check faults rehearse handsets calibrate watch run links bring-up logbook stand-in demo"

# A verb and its options; "=": it takes a value, "=f": a file.
function __gyrax_options
  for option in $argv[2..-1]
    set -l parts (string split = -- $option)
    set -l takes -f
    test (count $parts) -gt 1; and set takes -x
    test "$parts[2]" = f; and set takes -r -F
    complete -c gyrax -n "__fish_seen_subcommand_from $argv[1]" -l $parts[1] $takes
  end
end
__gyrax_options check help json deny= wiring
__gyrax_options faults help all axis= failure= plot=f page=f campaign= seed= replace json
__gyrax_options rehearse help csv=f plot=f replace axis= span= json
__gyrax_options handsets help all json
__gyrax_options calibrate help track=f out=f replace wire= device= name= step= json
__gyrax_options watch help wire= hands=f for= plain json record=f replace
__gyrax_options run help hands=f for= plain json record=f replace logbook=f no-logbook keep= keep-mb= no-real-time typed
__gyrax_options logbook help csv=f plot=f replace axis= span= json
__gyrax_options bring-up help axis= out= hands= for= no-real-time
__gyrax_options links help link= print for= json
__gyrax_options stand-in help link= handset= for= every=
__gyrax_options demo help out=f replace
