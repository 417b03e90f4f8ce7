# fish completion for gyrax
complete -c gyrax -n __fish_use_subcommand -f -l help
complete -c gyrax -n __fish_use_subcommand -f -l version
complete -c gyrax -n __fish_use_subcommand -f -a "check rehearse handsets calibrate watch run logbook demo"

complete -c gyrax -n "__fish_seen_subcommand_from check" -l help
complete -c gyrax -n "__fish_seen_subcommand_from check" -l json

complete -c gyrax -n "__fish_seen_subcommand_from rehearse" -l help
complete -c gyrax -n "__fish_seen_subcommand_from rehearse" -l csv -r -F
complete -c gyrax -n "__fish_seen_subcommand_from rehearse" -l plot -r -F
complete -c gyrax -n "__fish_seen_subcommand_from rehearse" -l replace
complete -c gyrax -n "__fish_seen_subcommand_from rehearse" -l axis -x
complete -c gyrax -n "__fish_seen_subcommand_from rehearse" -l span -x
complete -c gyrax -n "__fish_seen_subcommand_from rehearse" -l json

complete -c gyrax -n "__fish_seen_subcommand_from handsets" -l help
complete -c gyrax -n "__fish_seen_subcommand_from handsets" -l all
complete -c gyrax -n "__fish_seen_subcommand_from handsets" -l json

complete -c gyrax -n "__fish_seen_subcommand_from calibrate" -l help
complete -c gyrax -n "__fish_seen_subcommand_from calibrate" -l track -r -F
complete -c gyrax -n "__fish_seen_subcommand_from calibrate" -l out -r -F
complete -c gyrax -n "__fish_seen_subcommand_from calibrate" -l replace
complete -c gyrax -n "__fish_seen_subcommand_from calibrate" -l device -x
complete -c gyrax -n "__fish_seen_subcommand_from calibrate" -l name -x
complete -c gyrax -n "__fish_seen_subcommand_from calibrate" -l step -x
complete -c gyrax -n "__fish_seen_subcommand_from calibrate" -l json

complete -c gyrax -n "__fish_seen_subcommand_from watch" -l help
complete -c gyrax -n "__fish_seen_subcommand_from watch" -l hands -r -F
complete -c gyrax -n "__fish_seen_subcommand_from watch" -l for -x
complete -c gyrax -n "__fish_seen_subcommand_from watch" -l plain
complete -c gyrax -n "__fish_seen_subcommand_from watch" -l json
complete -c gyrax -n "__fish_seen_subcommand_from watch" -l record -r -F
complete -c gyrax -n "__fish_seen_subcommand_from watch" -l replace

complete -c gyrax -n "__fish_seen_subcommand_from run" -l help
complete -c gyrax -n "__fish_seen_subcommand_from run" -l hands -r -F
complete -c gyrax -n "__fish_seen_subcommand_from run" -l for -x
complete -c gyrax -n "__fish_seen_subcommand_from run" -l plain
complete -c gyrax -n "__fish_seen_subcommand_from run" -l json
complete -c gyrax -n "__fish_seen_subcommand_from run" -l record -r -F
complete -c gyrax -n "__fish_seen_subcommand_from run" -l replace
complete -c gyrax -n "__fish_seen_subcommand_from run" -l logbook -r -F
complete -c gyrax -n "__fish_seen_subcommand_from run" -l no-real-time

complete -c gyrax -n "__fish_seen_subcommand_from logbook" -l help
complete -c gyrax -n "__fish_seen_subcommand_from logbook" -l csv -r -F
complete -c gyrax -n "__fish_seen_subcommand_from logbook" -l plot -r -F
complete -c gyrax -n "__fish_seen_subcommand_from logbook" -l replace
complete -c gyrax -n "__fish_seen_subcommand_from logbook" -l axis -x
complete -c gyrax -n "__fish_seen_subcommand_from logbook" -l span -x
complete -c gyrax -n "__fish_seen_subcommand_from logbook" -l json

complete -c gyrax -n "__fish_seen_subcommand_from demo" -l help
complete -c gyrax -n "__fish_seen_subcommand_from demo" -l out -r -F
complete -c gyrax -n "__fish_seen_subcommand_from demo" -l replace
