#include "commands.hpp"

#include <CLI/CLI.hpp>

#include <cstdio>
#include <exception>

namespace {

int run(int argc, char** argv) {
  using namespace gyrax::tool;
  CLI::App app{
      "Gyrax maps gamepads, pendants and handwheels to servos and machine axes, and makes sure that motion stops.\n"
      "It is not a safety-rated device: the machine's emergency stop must be wired, not programmed.",
      "gyrax"};
  app.set_version_flag("--version", "gyrax " GYRAX_VERSION);
  app.require_subcommand(1);
  app.footer(
      "Start here:\n"
      "  gyrax demo                                    a recorded session on a simulated bench\n"
      "  gyrax check demo/bench.toml                   what that bench's rig means\n"
      "  gyrax rehearse demo/bench.toml demo/session.toml --plot session.png\n\n"
      "Exit codes: 0 done, 1 what was checked did not hold, 2 wrong usage or input, 3 the outside world failed.\n");

  std::string rig;
  bool as_json = false;
  CLI::App* check_verb = app.add_subcommand("check", "Review a rig: everything that is wrong with it, or what it means");
  check_verb->add_option("rig", rig, "The rig, a TOML file")->required();
  check_verb->add_flag("--json", as_json, "For scripts: the review, or the problems with their codes");

  RehearseOptions options;
  CLI::App* rehearse_verb = app.add_subcommand("rehearse", "Run a rig with a recorded session on simulated machines, the same every time");
  rehearse_verb->add_option("rig", options.rig, "The rig, a TOML file")->required();
  rehearse_verb->add_option("session", options.session, "The session, a TOML file with its tracks beside it")->required();
  rehearse_verb->add_option("--csv", options.csv, "Write all signals, one row a tick");
  rehearse_verb->add_option("--plot", options.plot, "Draw positions and speeds; .png or .svg");
  rehearse_verb->add_option("--span", options.span, "Of the plot, in seconds: FROM:TO")->needs("--plot");
  rehearse_verb->add_flag("--json", options.json, "For scripts: the summary as JSON");
  rehearse_verb->footer("Exit code 1: a stop took longer than the brake limits allow.\n");

  std::string folder = "out";
  CLI::App* demo_verb = app.add_subcommand("demo", "Rehearse the demo bench and leave its plot and signals");
  demo_verb->add_option("--out", folder, "The folder for them")->capture_default_str();

  try {
    app.parse(argc, argv);
  } catch (const CLI::ParseError& error) {
    return app.exit(error) == 0 ? done : wrong_input;
  }
  if (*check_verb) return check(rig, as_json);
  if (*rehearse_verb) return rehearse(options);
  return demo(folder);
}

}  // namespace

int main(int argc, char** argv) {
  try {
    return run(argc, argv);
  } catch (const std::exception& error) {
    std::fprintf(stderr, "gyrax: %s\n", error.what());
    return gyrax::tool::world_failed;
  }
}
