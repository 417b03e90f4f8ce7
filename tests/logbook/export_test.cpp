#include <gyrax/files/text_file.hpp>
#include <gyrax/logbook/export.hpp>

#include "support/demo.hpp"

#include <doctest/doctest.h>

#include <unistd.h>
#include <algorithm>
#include <filesystem>
#include <sstream>
#include <string>

using namespace gyrax;

using test::demo;

TEST_CASE("CSV: a row a tick, as many fields as the header, numbers that read back") {
  std::istringstream csv(to_csv(demo().rig, demo().done));
  std::string line;
  std::getline(csv, line);
  const auto fields = std::count(line.begin(), line.end(), ',');
  CHECK(line.starts_with("t_s,main_state,override_percent,x_asked,x_p_mm,x_v_mm_s,x_a_mm_s2,x_machine_mm,x_blocked"));
  std::size_t rows = 0;
  double last_x = -1;
  while (std::getline(csv, line)) {
    REQUIRE(std::count(line.begin(), line.end(), ',') == fields);
    std::size_t at = 0;
    for (int i = 0; i < 4; ++i) at = line.find(',', at) + 1;
    last_x = std::stod(line.substr(at));
    ++rows;
  }
  CHECK(rows == demo().done.trace.ticks);
  CHECK(last_x == demo().done.trace.axes[0].back().position);
}

TEST_CASE("Nothing that a rig says is carried out by what draws it: it is drawn as it stands") {
  namespace fs = std::filesystem;
  const fs::path folder = fs::temp_directory_path() / ("gyrax-canary-" + std::to_string(::getpid()));
  fs::create_directories(folder);
  const std::string canary = (folder / "canary").string();
  Rig rig = demo().rig;
  for (const std::string& title : std::vector<std::string>{
           "`touch " + canary + "`", "$(touch " + canary + ")", "\" . system('touch " + canary + "') . \"",
           "'; system 'touch " + canary + "'; '", "@x {/Bold a} _b ^c # d %s", "C:\\new", "#\"", "\"one\" \"two\"",
           std::string("two\nsystem 'touch ") + canary + "'", std::string("end\x1b]0;x\x07")}) {
    CAPTURE(title);
    rig.title = title;
    const auto wrong = write_plot(rig, demo().done, (folder / "a.svg").string());
    CHECK_FALSE(wrong);
    CHECK_FALSE(fs::exists(canary));
    const std::string drawn = read_text((folder / "a.svg").string(), 1 << 24).text;
    // What of it needs no other spelling in a picture is there as it was.
    if (title.find_first_of("\"'<>&\n\x1b\\") == std::string::npos) CHECK(drawn.find(title) != std::string::npos);
  }
  fs::remove_all(folder);
}

TEST_CASE("Plots are drawn, or it is said why not, and nothing is left behind") {
  namespace fs = std::filesystem;
  const fs::path folder = fs::temp_directory_path() / ("gyrax-plot-" + std::to_string(::getpid()));
  fs::create_directories(folder);
  const auto plot = [&](const char* name, const PlotView& view = {}) {
    return write_plot(demo().rig, demo().done, (folder / name).string(), view);
  };
  CHECK_FALSE(plot("a.png"));
  CHECK_FALSE(plot("b.svg", {PlotSpan{14, 18}, "x"}));
  CHECK(read_text((folder / "a.png").string(), 1 << 24).text.starts_with("\x89PNG"));
  CHECK(read_text((folder / "b.svg").string(), 1 << 24).text.find("<svg") != std::string::npos);
  CHECK(read_text((folder / "b.svg").string(), 1 << 24).text.find("jerk, mm/s³") != std::string::npos);
  CHECK(plot("c.jpg")->find("ending") != std::string::npos);
  CHECK(plot("d.png", {PlotSpan{50, 60}, ""})->find("41 s") != std::string::npos);
  CHECK(plot("f.png", {std::nullopt, "xx"})->find("no axis 'xx'") != std::string::npos);
  CHECK(plot("no/such/e.png")->find("cannot write") != std::string::npos);
  CHECK(std::distance(fs::directory_iterator(folder), {}) == 2);
  fs::remove_all(folder);
}

TEST_CASE("However long a session is, a peak of one tick is drawn") {
  Rig rig = demo().rig;
  for (const double spike : {0.0, 7777.0}) {
    Rehearsal done = demo().done;
    Trace& trace = done.trace;
    // Twenty of them, one after the other, the peak at a tick of no round number.
    const auto twenty_times = [](auto& list) {
      const auto one = list;
      for (int i = 1; i < 20; ++i) list.insert(list.end(), one.begin(), one.end());
    };
    for (AxisTrace& axis : trace.axes) twenty_times(axis);
    for (auto& zone : trace.zones) twenty_times(zone);
    for (auto& one : trace.switches) twenty_times(one);
    for (auto& one : trace.overrides) twenty_times(one);
    trace.ticks *= 20;
    trace.times.clear();
    for (std::size_t t = 0; t < trace.ticks; ++t)
      trace.times.push_back(Time{static_cast<std::int64_t>(t) * trace.period});
    trace.axes[0][123'457].speed += spike;
    const Drawn drawn = draw_plot(rig, done, PlotFormat::svg);
    CHECK(drawn.why.empty());
    // It is on the scale beside the curve.
    CHECK((drawn.picture.find(">8000<") != std::string::npos || drawn.picture.find("> 8000<") != std::string::npos) ==
          (spike > 0));
  }
}
