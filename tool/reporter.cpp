#include "reporter.hpp"

#include "output.hpp"

#include <gyrax/files/json_text.hpp>
#include <gyrax/files/json_version.hpp>
#include <gyrax/rig/words.hpp>

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <cmath>

namespace gyrax::tool {
namespace {

using Json = nlohmann::ordered_json;

double round_to_millionths(double value) { return std::round(value * 1e6) / 1e6; }

std::vector<std::string> names_of_axes(const Rig& rig) {
  std::vector<std::string> names;
  for (const AxisInfo& axis : rig.axes) names.push_back(axis.name);
  return names;
}

class JsonReporter final : public Reporter {
 public:
  void started(const Rig* rig, const std::string& logbook) override {
    Json line{{"gyrax_json", json_version}, {"t", 0.0}, {"started", GYRAX_VERSION}};
    if (rig != nullptr) {
      line["rig"] = rig->path;
      line["title"] = rig->title;
      line["zones"] = rig->zones;
      line["axes"] = names_of_axes(*rig);
      line["handsets"] = rig->handsets;
      if (!logbook.empty()) line["logbook"] = logbook;
    }
    tell(line);
  }
  void note(Time at, const std::string& text) override { tell({{"t", to_seconds(at)}, {"note", text}}); }
  void plugged(Time at, const SeenHandset& seat) override {
    tell({{"t", to_seconds(at)},
          {"handset", seat.name},
          {"present", seat.present},
          {"device", seat.device.name},
          {"id", id_of(seat.device)},
          {"node", seat.node}});
  }
  void reading(const SeenHandset& seat, const Reading& reading, const ControlName& control, double value) override {
    tell({{"t", to_seconds(reading.event)},
          {"handset", seat.name},
          {"control", control.name},
          {"code", kernel_code(control)},
          {"raw", reading.raw},
          {"value", round_to_millionths(value)}});
  }
  void event(const Rig& rig, const Event& event) override {
    Json line{{"t", to_seconds(event.at)}, {"event", name_of(event.kind)}};
    for (const auto& [name, value] : facts(rig, event)) line[name] = value;
    line["number"] = event.number;
    line["says"] = say(rig, event);
    tell(line);
  }
  void axis(const Rig& rig, AxisId axis, const RunView& run) override {
    const AxisView& view = run.axes[index(axis)];
    tell({{"t", to_seconds(run.now)},
          {"axis", rig.axes[index(axis)].name},
          {"p", view.command.p},
          {"v", view.command.v},
          {"asked", view.why.asked},
          {"interlock", about(view.why.blocked.what).name},
          {"says", say(rig, view.why.blocked, view.why.cause)},
          {"release", say_release(rig, view.why.blocked)}});
  }
  void ended(const RunView& run, const std::string& account, bool) override {
    const Lateness& late = run.lateness;
    Json histogram = Json::array();
    for (std::size_t i = 0; i < late.counts.size(); ++i)
      histogram.push_back({{"below_us", i < Lateness::bounds_us.size() ? Json(Lateness::bounds_us[i]) : Json(nullptr)},
                           {"ticks", late.counts[i]}});
    tell({{"t", to_seconds(run.now)}, {"ended", account}, {"late_by", histogram}});
  }
  void logbook(const std::string& path, const LogbookWriter::Closed& closed) override {
    tell({{"logbook", path}, {"ticks", closed.ticks}, {"lost", closed.lost}, {"bytes", closed.bytes}});
  }

 private:
  static void tell(const Json& line) { put_json(dumped(line)); }
};

class PlainReporter : public Reporter {
 public:
  void started(const Rig* rig, const std::string& logbook) override {
    if (rig == nullptr) return line(Time{}, "watching every control of every handset");
    line(Time{}, fmt::format("{}{}: {}", rig->path, rig->title.empty() ? "" : " (" + rig->title + ")",
                             listed(names_of_axes(*rig))));
    if (!logbook.empty()) line(Time{}, "logbook " + logbook);
  }
  void note(Time at, const std::string& text) override { line(at, text); }
  void plugged(Time at, const SeenHandset& seat) override {
    line(at, fmt::format("{}: {} ({}, {}) {}", seat.name, seat.device.name, id_of(seat.device), seat.node,
                         seat.present ? "is plugged in" : "is gone"));
  }
  void reading(const SeenHandset&, const Reading&, const ControlName&, double) override {}
  void event(const Rig& rig, const Event& event) override { line(event.at, say(rig, event)); }
  void axis(const Rig& rig, AxisId axis, const RunView& run) override {
    // For a person only where hands ask and nothing moves.
    const AxisStatus& why = run.axes[index(axis)].why;
    if (is_blocked(why))
      line(run.now, fmt::format("{} is blocked: {}; {}", rig.axes[index(axis)].name, say(rig, why.blocked, why.cause),
                                say_release(rig, why.blocked)));
  }
  void ended(const RunView& run, const std::string& account, bool real_time) override {
    print("{}\n", account);
    print_lateness(run.lateness);
    for (const std::string& why : {run.real_time.why_no_priority, run.real_time.why_no_memory})
      if (real_time && !why.empty()) print("{}\n", why);
  }
  void logbook(const std::string& path, const LogbookWriter::Closed& closed) override {
    print("Logbook: {} ({} ticks, {} bytes{})\n", path, closed.ticks, closed.bytes,
          closed.lost > 0 ? fmt::format(", {} RECORDS LOST", closed.lost) : "");
    print("What happened: gyrax logbook {}\n", path);
  }

 private:
  static void line(Time at, const std::string& text) { print("{:9.3f} s  {}\n", to_seconds(at), text); }
  static void print_lateness(const Lateness& late) {
    for (std::size_t i = 0; i < late.counts.size(); ++i) {
      if (late.counts[i] == 0) continue;
      const bool last = i == Lateness::bounds_us.size();
      const double share = static_cast<double>(late.counts[i]) / static_cast<double>(late.ticks);
      std::string bar;
      for (int n = 0; n < std::lround(share * 40); ++n) bar += "█";
      const auto bound_us = Lateness::bounds_us[last ? i - 1 : i];
      print("  late by {} {:>6} µs {:>8} ticks  {}\n", last ? "≥" : "<", bound_us, late.counts[i], bar);
    }
  }
};

class ScreenReporter final : public PlainReporter {
 public:
  void started(const Rig*, const std::string&) override {}
  void note(Time, const std::string&) override {}
  void plugged(Time, const SeenHandset&) override {}
  void event(const Rig&, const Event&) override {}
  void axis(const Rig&, AxisId, const RunView&) override {}
};

}  // namespace

std::unique_ptr<Reporter> json_reporter() { return std::make_unique<JsonReporter>(); }
std::unique_ptr<Reporter> plain_reporter() { return std::make_unique<PlainReporter>(); }
std::unique_ptr<Reporter> screen_reporter() { return std::make_unique<ScreenReporter>(); }

}  // namespace gyrax::tool
