// Any bytes as what somebody calls a rig, and as its path: they are drawn, printed and told in JSON, and never carried
// out. The canary is a command `c` that leaves a file behind; nothing else may be left behind either.
#include <gyrax/files/json_text.hpp>
#include <gyrax/logbook/export.hpp>
#include <gyrax/rig/rig.hpp>

#include <nlohmann/json.hpp>

#include <algorithm>
#include <cstdint>
#include <cstdlib>
#include <filesystem>
#include <fstream>

#include "output.hpp"
#include "support/folder.hpp"

namespace {

namespace fs = std::filesystem;

class Canary {
 public:
  Canary() {
    const fs::path commands = folder_.path / "commands";
    fs::create_directories(commands);
    fs::create_directories(here_);
    std::ofstream(commands / "c") << "#!/bin/sh\n: >'" << (here_ / "canary").string() << "'\n";
    fs::permissions(commands / "c", fs::perms::owner_all);
    ::setenv("PATH", (commands.string() + ":" + std::getenv("PATH")).c_str(), 1);
    fs::current_path(here_);
    // One that cannot be heard shows nothing.
    if (std::system("c") != 0 || !heard()) __builtin_trap();
    fs::remove(here_ / "canary");
  }
  ~Canary() { fs::current_path("/"); }
  bool heard() const { return !fs::is_empty(here_); }

 private:
  gyrax::test::Folder folder_;
  fs::path here_ = folder_.path / "here";
};

gyrax::Drawn drawn(const gyrax::Rig& rig) {
  gyrax::PlotPoints points(rig, {});
  gyrax::TickSample sample(rig);
  for (int i = 0; i < 3; ++i) {
    sample.at += rig.period;
    points.tick(sample, {});
  }
  return points.draw(gyrax::PlotFormat::svg);
}

/// Whether a terminal would obey a byte of it: C0 but line ends and tabs, delete, C1.
bool commands_a_terminal(std::string_view text) {
  for (std::size_t i = 0; i < text.size(); ++i) {
    const auto c = static_cast<unsigned char>(text[i]);
    const auto before = static_cast<unsigned char>(i > 0 ? text[i - 1] : 0);
    if ((c < 0x20 && c != '\n' && c != '\t') || c == 0x7f || (before == 0xc2 && c >= 0x80 && c < 0xa0)) return true;
  }
  return false;
}

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  static const Canary canary;
  static gyrax::Rig rig =
      gyrax::parse_rig("gyrax = 1\n[axis.x]\nunit = \"mm\"\ntravel = [0, 420]\nspeed = 180\naccel = 900\n", "x.toml");
  rig.title.assign(reinterpret_cast<const char*>(data), size);
  const gyrax::Drawn by_title = drawn(rig);
  rig.path = std::exchange(rig.title, "");
  const gyrax::Drawn by_path = drawn(rig);
  if (!by_title.why.empty() || !by_path.why.empty() || canary.heard()) __builtin_trap();

  const std::string printed = gyrax::tool::visible(rig.path);
  if (commands_a_terminal(printed) || gyrax::tool::visible(printed) != printed) __builtin_trap();
  const std::string json = gyrax::dumped(nlohmann::json(rig.path));
  if (!gyrax::detail::is_plain_utf8(json) ||
      std::any_of(json.begin(), json.end(), [](char c) { return c >= 0 && c < ' '; }))
    __builtin_trap();
  return 0;
}
