#include "commands.hpp"
#include "output.hpp"

#include <gyrax/handset/wired.hpp>
#include <gyrax/logbook/build.hpp>

#include <CLI/CLI.hpp>

#include <algorithm>
#include <charconv>
#include <exception>
#include <sstream>

namespace {

/// CLI11's own ranges let "nan" through.
std::string wrong_seconds(const std::string& text) {
  double value = 0;
  const char* end = text.data() + text.size();
  const auto read = std::from_chars(text.data(), end, value);
  const bool good = read.ec == std::errc{} && read.ptr == end && value >= 0.01 && value <= 1e6;
  return good ? std::string() : "seconds from 0.01 to 1000000 are wanted";
}

/// "gyrax 0.1.0 (build 3f…, x86_64 …)": which program exactly this is.
std::string version_line() {
  const gyrax::Build build = gyrax::this_build();
  return fmt::format("gyrax {} (build {})\n{}", build.version, build.binary.empty() ? "unknown" : build.binary,
                     build.processor);
}

/// What was probably meant by a verb or an option that there is not; empty if nothing is near.
std::string meant(CLI::App& app, int argc, char** argv) {
  std::vector<std::string> verbs;
  for (const CLI::App* one : app.get_subcommands({})) verbs.push_back(one->get_name());
  CLI::App* verb = nullptr;
  for (int i = 1; i < argc; ++i) {
    const std::string word = argv[i];
    std::vector<std::string> known = verbs;
    if (word.starts_with("--")) {
      known.clear();
      for (const CLI::App* one : {static_cast<const CLI::App*>(&app), static_cast<const CLI::App*>(verb)})
        if (one != nullptr)
          for (const CLI::Option* option : one->get_options({}))
            for (const std::string& name : option->get_lnames()) known.push_back("--" + name);
    } else if (verb != nullptr || word.starts_with('-')) {
      continue;
    } else if (std::find(verbs.begin(), verbs.end(), word) != verbs.end()) {
      verb = app.get_subcommand(word);
      continue;
    }
    const std::string typed = word.substr(0, word.find('='));
    if (std::find(known.begin(), known.end(), typed) != known.end()) continue;
    if (const std::string near = gyrax::nearest(typed, known); !near.empty())
      return fmt::format("there is no '{}'; did you mean '{}'?", typed, near);
    if (!word.starts_with('-')) return fmt::format("there is no '{}'; gyrax can: {}", typed, gyrax::listed(verbs));
    return {};
  }
  return {};
}

std::string wrong_wire(const std::string& text) {
  if (gyrax::wired_place(text)) return {};
  return fmt::format("'{}' is no wire; such as serial:/dev/ttyACM0, serial:/dev/ttyACM0@57600, tcp:box.local:7325",
                     text);
}

void add_outputs(CLI::App* verb, gyrax::tool::Outputs& outputs) {
  CLI::Option* csv = verb->add_option("--csv", outputs.csv, "Write all signals, one row a tick; - is standard output");
  CLI::Option* plot =
      verb->add_option("--plot", outputs.plot, "Draw positions and speeds; .png or .svg, - is standard output (PNG)");
  csv->type_name("FILE");
  plot->type_name("FILE");
  verb->add_flag("--replace", outputs.replace, "Even where these files are there already");
}

int run(int argc, char** argv) {
  using namespace gyrax::tool;
  CLI::App app{
      "Gyrax maps gamepads, pendants and handwheels to servos and machine axes, and makes sure that motion stops.\n"
      "It is not a safety-rated device: the machine's emergency stop must be wired, not programmed.",
      "gyrax"};
  app.set_version_flag("--version", version_line);
  app.require_subcommand(1);
  app.footer(
      "Start here:\n"
      "  gyrax demo                                    a recorded session on a simulated bench\n"
      "  gyrax run demo/bench.toml --hands demo/session.toml   the same live, in real time\n"
      "  gyrax handsets                                what is plugged in; gyrax watch shows it move\n"
      "  gyrax check demo/bench.toml                   what that bench's rig means\n"
      "  gyrax faults demo/bench.toml                  how far it goes when something fails\n"
      "  gyrax stand-in board demo/board.toml          a simulated board on a real wire, for run\n"
      "  gyrax links demo/board.toml                   who is there, and how well the wire goes\n"
      "  gyrax bring-up demo/board.toml                one axis at a time: which way, and where its ends are\n"
      "  gyrax rehearse demo/bench.toml demo/session.toml --plot session.png\n\n"
      "Exit codes: 0 done, 1 what was checked did not hold, 2 wrong usage or input, 3 the outside world failed;\n"
      "of a logbook 4 cut off, 5 damaged, 6 otherwise by another binary.\n");

  bool as_json = false;
  CheckOptions check_options;
  CLI::App* check_verb =
      app.add_subcommand("check", "Review a rig: everything that is wrong with it, or what it means");
  check_verb->add_option("rig", check_options.rig, "The rig, a TOML file")->required();
  check_verb->add_option("edited", check_options.edited, "The same after an edit: tells what means something else");
  check_verb->add_flag("--json", check_options.json, "For scripts: the review, or the problems with their codes");
  check_verb
      ->add_option("--deny", check_options.deny,
                   "Exit with 1 from this severity on: doubtful, dangerous, cannot_work (otherwise), nothing")
      ->check(CLI::IsMember({"doubtful", "dangerous", "cannot_work", "nothing"}));
  check_verb->add_flag("--wiring", check_options.wiring, "A list for whoever solders, as Markdown: what hangs where")
      ->excludes("edited")
      ->excludes("--json")
      ->excludes("--deny");
  check_verb->footer(
      "  gyrax check demo/bench.toml\n"
      "  gyrax check --deny doubtful demo/bench.toml   for a script: no finding at all\n"
      "  gyrax check demo/bench.toml edited.toml       what means something else after an edit\n"
      "  gyrax check --wiring demo/board.toml          what hangs where on its boards\n"
      "Exit code 1: the rig is wrong, or a finding is denied; each is told with its line.\n");

  RehearseOptions options;
  CLI::App* rehearse_verb =
      app.add_subcommand("rehearse", "Run a rig with a recorded session on simulated machines, the same every time");
  rehearse_verb->add_option("rig", options.rig, "The rig, a TOML file")->required();
  rehearse_verb->add_option("session", options.session, "The session, a TOML file with its tracks beside it")
      ->required();
  add_outputs(rehearse_verb, options.outputs);
  rehearse_verb->add_option("--axis", options.axis, "Of the plot: this axis from position to jerk, with its limits")
      ->needs("--plot");
  rehearse_verb->add_option("--span", options.span, "Of the plot, in seconds: FROM:TO")->needs("--plot");
  rehearse_verb->add_flag("--json", options.json, "For scripts: the summary as JSON");
  rehearse_verb->footer(
      "  gyrax rehearse demo/bench.toml demo/session.toml --plot session.png\n"
      "  gyrax rehearse demo/bench.toml demo/session.toml --csv - | head\n"
      "Exit code 1: a stop took longer than the deceleration limits allow.\n");

  FaultsOptions faults_options;
  CLI::App* faults_verb = app.add_subcommand(
      "faults", "Provoke every failure at its worst moments on simulated machines: predicted beside measured");
  faults_verb->add_option("rig", faults_options.rig, "The rig, a TOML file")->required();
  faults_verb->add_flag("--all", faults_options.all, "Every row, not only the farthest of each side");
  faults_verb->add_option("--axis", faults_options.axis, "This axis alone");
  faults_verb->add_option("--failure", faults_options.failure, "This failure alone, by its code (see --json)");
  faults_verb->add_option("--plot", faults_options.plot, "Draw the worst run; .png or .svg, - is standard output (PNG)")
      ->type_name("FILE");
  faults_verb->add_option("--page", faults_options.page, "Write it as Markdown, with a picture for each axis beside it")
      ->type_name("FILE");
  faults_verb
      ->add_option("--campaign", faults_options.campaign,
                   "Instead: so many ticks of random hands and failures, each held against what must never be")
      ->check(CLI::Range(1ull, 1'000'000'000'000ull));
  faults_verb->add_option("--seed", faults_options.seed, "Of the campaign; the same seed gives the same")
      ->needs("--campaign");
  for (CLI::Option* option :
       {faults_verb->get_option("--axis"), faults_verb->get_option("--failure"), faults_verb->get_option("--plot"),
        faults_verb->get_option("--page"), faults_verb->get_option("--all")})
    option->excludes("--campaign");
  faults_verb->add_flag("--replace", faults_options.replace, "Even where these files are there already");
  faults_verb->add_flag("--json", faults_options.json, "For scripts: every row as JSON");
  faults_verb->footer(
      "  gyrax faults demo/bench.toml\n"
      "  gyrax faults demo/bench.toml --axis x --failure racing --plot racing.png\n"
      "  gyrax faults demo/bench.toml --page stops.md   for the machine's technical file\n"
      "  gyrax faults demo/bench.toml --campaign 10000000\n"
      "Exit code 1: something went further, or longer, than predicted, or stopped of another cause.\n");

  bool everything = false;
  CLI::App* handsets_verb =
      app.add_subcommand("handsets", "What is plugged in, what it can do, and what to do where it cannot be used");
  handsets_verb->add_flag("--all", everything, "Also what no rig can use: mice, power keys …");
  handsets_verb->add_flag("--json", as_json, "For scripts");
  handsets_verb->footer("  gyrax handsets --all\n");

  CalibrateOptions calibrate_options;
  CLI::App* calibrate_verb =
      app.add_subcommand("calibrate", "Measure a handset: ends, rest, noise, habits, what is wrong with it");
  calibrate_verb->add_option("--track", calibrate_options.track,
                             "On a recording of it (evemu); otherwise live, and you are told what to do");
  calibrate_verb->add_option("--out", calibrate_options.out, "Write the calibration, a text file for the rig");
  calibrate_verb->add_flag("--replace", calibrate_options.replace, "Even where that file is there already")
      ->needs("--out");
  const CLI::Validator is_wire(wrong_wire, "WIRE", "wire");
  const char* const wire_help =
      "Live: a handset of your own parts hangs there: serial:/dev/…, tcp:host:port, udp:host:port";
  calibrate_verb->add_option("--wire", calibrate_options.wire, wire_help)->check(is_wire)->excludes("--track");
  calibrate_verb->add_option("--device", calibrate_options.device, "Live: which one, as 1209:0001")
      ->excludes("--track");
  calibrate_verb->add_option("--name", calibrate_options.names,
                             "A code that is another control than usual: ABS_Z=stick.right.x");
  calibrate_verb->add_flag("--json", calibrate_options.json, "For scripts");
  calibrate_verb->footer(
      "  gyrax calibrate --out pad.toml\n"
      "  gyrax calibrate --track demo/handsets/worn_pad.show.evemu\n");

  LiveOptions live_options;
  const CLI::Validator seconds_only(wrong_seconds, "SECONDS", "seconds");
  calibrate_verb
      ->add_option("--step", calibrate_options.step_s, "Live: each step ends after so many seconds, not with Enter")
      ->check(seconds_only)
      ->excludes("--track");
  const auto add_live_options = [&](CLI::App* verb) {
    verb->add_option("--hands", live_options.hands, "A recorded session plays in place of real handsets")->needs("rig");
    verb->add_option("--for", live_options.for_s, "End by itself after so many seconds")->check(seconds_only);
    verb->add_flag("--plain", live_options.plain, "Lines of text, no screen");
    verb->add_flag("--json", live_options.json, "For scripts: one JSON document a line")->excludes("--plain");
    verb->add_option(
            "--record", live_options.record,
            "Record at once, to NAME.toml and a track beside it for each handset; a further take gets a number")
        ->excludes("--hands");
    verb->add_flag("--replace", live_options.replace, "Even where what is written is there already");
  };
  CLI::App* watch_verb =
      app.add_subcommand("watch", "See handsets live, and with a rig what it makes of them; no machine moves");
  watch_verb->add_option("rig", live_options.rig, "The rig; without one every control of every handset is shown");
  watch_verb->add_option("--wire", live_options.wire, wire_help)->check(is_wire)->excludes("rig");
  add_live_options(watch_verb);
  watch_verb->footer(
      "  gyrax watch\n"
      "  gyrax watch demo/bench.toml --hands demo/session.toml\n"
      "Keys: r starts and stops a recording (a session that rehearse takes), q ends.\n");

  bool no_real_time = false;
  CLI::App* run_verb =
      app.add_subcommand("run", "Run a rig live, in real time, on what its links lead to: simulated machines, boards");
  run_verb->add_option("rig", live_options.rig, "The rig, a TOML file")->required();
  add_live_options(run_verb);
  run_verb->add_option("--logbook", live_options.logbook,
                       "Where the run's record goes; otherwise to the others (see gyrax logbook)");
  run_verb->add_flag("--typed", live_options.typed,
                     "Each line of standard input is the name of an action, asked for as by a key; no screen");
  bool no_logbook = false;
  run_verb
      ->add_flag("--no-logbook", no_logbook,
                 "Keep the last minute alone; it is written to the others where a zone trips")
      ->excludes("--logbook");
  run_verb->add_option("--keep", live_options.keep, "So many logbooks at most, the oldest go (otherwise the rig says)")
      ->check(CLI::Range(1, 100'000))
      ->excludes("--logbook")
      ->excludes("--no-logbook");
  run_verb->add_option("--keep-mb", live_options.keep_mb, "So many megabytes of them at most")
      ->check(CLI::Range(1, 1'000'000))
      ->excludes("--logbook")
      ->excludes("--no-logbook");
  run_verb->add_flag("--no-real-time", no_real_time, "Do not ask for real-time priority and locked memory");
  run_verb->footer(
      "  gyrax run demo/bench.toml --hands demo/session.toml\n"
      "  gyrax run bench.toml --plain --logbook today.jsonl.zst\n"
      "Keys: r starts and stops a recording, a types the name of an action, q ends. Ctrl-C, a closed window and "
      "SIGTERM end, too: a controlled stop,\n"
      "then off. Ctrl-Z stops, and then suspends; afterwards it is stowed.\n");

  LogbookOptions logbook_options;
  CLI::App* logbook_verb = app.add_subcommand("logbook", "What a run did; replay it, and export its signals");
  logbook_verb->add_option("file", logbook_options.file, "A run's logbook; without one all that there are are listed");
  add_outputs(logbook_verb, logbook_options.outputs);
  for (CLI::Option* of_a_file : {logbook_verb->get_option("--csv"), logbook_verb->get_option("--plot")})
    of_a_file->needs("file");
  logbook_verb
      ->add_option("--axis", logbook_options.axis, "Of the plot: this axis from position to jerk, with its limits")
      ->needs("--plot");
  logbook_verb->add_option("--span", logbook_options.span, "Of it all, in seconds: FROM:TO")->needs("file");
  logbook_verb->add_flag("--json", logbook_options.json, "For scripts: the summary as JSON");
  logbook_verb->footer(
      "  gyrax logbook\n"
      "  gyrax logbook today.jsonl.zst --span 4:7 --plot seconds.png\n"
      "Read it with other tools: zstdcat today.jsonl.zst\n"
      "Exit code 1: the replay came out otherwise; 4: cut off; 5: damaged; 6: otherwise, by another binary.\n");

  BringUpOptions bring_up_options;
  bool ordinary = false;
  CLI::App* bring_up_verb = app.add_subcommand(
      "bring-up", "One axis at a time, slowly, with your enable: which way it moves; a servo's ends are taught");
  bring_up_verb->add_option("rig", bring_up_options.rig, "The rig, a TOML file; what is kept is written into it")
      ->required();
  bring_up_verb->add_option("--axis", bring_up_options.axis, "This axis alone");
  bring_up_verb->add_option("--out", bring_up_options.out, "Write the changed rig there instead")->needs("--axis");
  bring_up_verb->add_option("--hands", bring_up_options.hands, "A recorded session plays in place of real handsets");
  bring_up_verb->add_option("--for", bring_up_options.for_s, "End each axis by itself after so many seconds")
      ->check(seconds_only);
  bring_up_verb->add_flag("--no-real-time", ordinary, "Do not ask for real-time priority and locked memory");
  bring_up_verb->footer(
      "  gyrax bring-up demo/board.toml --axis lamp_tilt\n"
      "Lines that it takes while it runs: low, centre, high (keep where the servo is as that), other (it runs the "
      "other\n"
      "way), undo, keep (write it into the rig), store (and let the board keep its ends), drop, quit; an empty one "
      "tells\n"
      "where it is.\n");

  LinksOptions links_options;
  CLI::App* links_verb = app.add_subcommand(
      "links", "Who is at the far ends of a rig's links, and how well each wire goes; nothing moves");
  links_verb->add_option("rig", links_options.rig, "The rig, a TOML file")->required();
  links_verb->add_option("--link", links_options.link, "This link alone");
  links_verb->add_flag("--print", links_options.print, "Every frame, and what the far end prints, as it goes by");
  links_verb->add_option("--for", links_options.for_s, "With --print: so many seconds; otherwise the longest wait (3)")
      ->check(seconds_only);
  links_verb->add_flag("--json", links_options.json, "For scripts: one JSON document a line");
  links_verb->footer(
      "  gyrax links demo/board.toml\n"
      "  gyrax links demo/board.toml --print --for 2\n"
      "Where a program of this user runs the rig, it is asked, and goes on undisturbed. Otherwise the board is "
      "greeted,\n"
      "which ends what another computer does with it.\n"
      "Exit code 3: a far end did not answer.\n");

  StandInOptions stand_in_options;
  CLI::App* stand_in_verb = app.add_subcommand(
      "stand-in", "Be a far end of a rig: a simulated board, controller, drive or handset, on its real wire");
  stand_in_verb->add_option("kind", stand_in_options.kind, "What to be: board, controller, drive, or handset")
      ->required()
      ->check(CLI::IsMember({"board", "controller", "drive", "handset"}));
  stand_in_verb->add_option("rig", stand_in_options.rig, "The rig, a TOML file; its channels and its wire count")
      ->required();
  stand_in_verb->add_option("session", stand_in_options.session, "Of a handset: the recording that it plays");
  stand_in_verb->add_option("--handset", stand_in_options.handset,
                            "Which handset of the rig; needed where several hang on wires");
  stand_in_verb->add_option("--link", stand_in_options.link,
                            "Which link of the rig; needed where several are of that kind");
  stand_in_verb->add_option("--for", stand_in_options.for_s, "End by itself after so many seconds")
      ->check(seconds_only);
  stand_in_verb->add_option("--every", stand_in_options.every_s, "Tell where everything is so often, where it moved")
      ->check(seconds_only);
  stand_in_verb->footer(
      "  gyrax stand-in board demo/board.toml\n"
      "  gyrax stand-in handset demo/wired.toml demo/wired_session.toml\n"
      "  gyrax stand-in drive demo/drive.toml\n"
      "  gyrax stand-in controller demo/gantry.toml\n"
      "Lines that it takes while it runs: cut, noisy, slow, hung, stuck, sag, mend, restart, print TEXT, fail TEXT,\n"
      "quit; of a board input NAME on|off|NUMBER|broken; of a handset pause, play.\n"
      "A drive takes cut, noisy, hung, slow, refuse, fault, mend, restart, input NAME on|off|NUMBER, quit.\n"
      "A controller takes cut, silent, lose, twice, refuse, alarm, pause, slow, noise, mend, restart, input, quit.\n");

  std::string folder = "out";
  CLI::App* demo_verb = app.add_subcommand("demo", "Rehearse the demo bench and leave its plot and signals");
  demo_verb->add_option("--out", folder, "The folder for them")->capture_default_str();
  bool replace_demo = false;
  demo_verb->add_flag("--replace", replace_demo, "Even where these files are there already");
  demo_verb->footer("  gyrax demo --out /tmp/gyrax-demo\n");

  try {
    app.parse(argc, argv);
  } catch (const CLI::ParseError& error) {
    std::ostringstream out, errors;
    const int exit = app.exit(error, out, errors);
    const std::string near = exit == 0 ? "" : meant(app, argc, argv);
    put(out.str());
    if (near.empty())
      put_error(errors.str());
    else
      complain(near);
    return exit == 0 ? done : wrong_input;
  }
  if (as_json || check_options.json || options.json || calibrate_options.json || live_options.json ||
      logbook_options.json || faults_options.json || links_options.json)
    expect_json();
  // An option that would do nothing is a slip.
  const auto idle_replace = [](bool replace, bool anything) {
    if (replace && !anything) complain("--replace: there is nothing here that would be written; say where to");
    return replace && !anything;
  };
  if (idle_replace(options.outputs.replace, !options.outputs.csv.empty() || !options.outputs.plot.empty()) ||
      idle_replace(logbook_options.outputs.replace,
                   !logbook_options.outputs.csv.empty() || !logbook_options.outputs.plot.empty()) ||
      idle_replace(faults_options.replace, !faults_options.plot.empty() || !faults_options.page.empty()) ||
      idle_replace(live_options.replace, !live_options.logbook.empty() || !live_options.record.empty()))
    return wrong_input;
  if (*check_verb) return check(check_options);
  if (*faults_verb) return faults(faults_options);
  if (*rehearse_verb) return rehearse(options);
  bring_up_options.real_time = !ordinary;
  if (*bring_up_verb) return bring_up(bring_up_options);
  if (*links_verb) return links(links_options);
  if (*stand_in_verb) return stand_in(stand_in_options);
  if (*calibrate_verb) return calibrate(calibrate_options);
  if (*handsets_verb) return handsets(as_json, everything);
  if (*logbook_verb) return logbook(logbook_options);
  if (*watch_verb || *run_verb) {
    live_options.verb = *run_verb ? LiveVerb::run : LiveVerb::watch;
    live_options.keep_log = bool(*run_verb) && !no_logbook;
    live_options.real_time = bool(*run_verb);
    live_options.real_time = live_options.real_time && !no_real_time;
    return live(live_options);
  }
  return demo(folder, replace_demo);
}

}  // namespace

int main(int argc, char** argv) {
  using namespace gyrax::tool;
  settle_standard_files();
  int exit = world_failed;
  try {
    exit = run(argc, argv);
  } catch (const std::exception& error) {
    complain(error.what());
  }
  // Wrong input stays wrong input; all else is not done where nobody could be told of it.
  if (const std::string why = why_output_failed(); !why.empty())
    complain(fmt::format("standard output did not take everything: {}", why));
  return output_failed() && exit != wrong_input ? world_failed : exit;
}
