// What is absurd or dangerous in the numbers of axes, links, handsets and times.
#include "axes.hpp"
#include "findings_kinds.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace gyrax {
namespace {

/// An axis as the checks see it.
struct OneAxis {
  const AxisInfo& info;
  const AxisSetup& setup;
  const MotionLimits& full;
  double travel;  // infinite where it has none
  std::string key(const char* what) const { return "axis." + info.name + "." + what; }
  std::string per_s() const { return info.unit + "/s"; }
};

/// Four digits, and no exponent: "36150", "0.0222".
std::string plain(double value) {
  if (value == 0 || !std::isfinite(value)) return fmt::format("{:g}", value);
  const int digits = 3 - static_cast<int>(std::floor(std::log10(std::abs(value))));
  if (digits <= 0) return fmt::format("{:.0f}", value);
  std::string text = fmt::format("{:.{}f}", value, digits);
  text.erase(text.find_last_not_of('0') + 1);
  if (text.ends_with('.')) text.pop_back();
  return text;
}

double stop_from(const MotionLimits& limits) { return stop_reach({0, limits.speed, 0}, limits).distance; }

/// The greatest value of a number, in [0, most], with which a condition still holds, to three digits, rounded down.
template <class Holds>
double greatest(double most, Holds holds) {
  double low = 0, high = most;
  for (int i = 0; i < 60; ++i) {
    const double middle = (low + high) / 2;
    (holds(middle) ? low : high) = middle;
  }
  if (!(low > 0)) return 0;
  const double unit = std::pow(10, std::floor(std::log10(low)) - 2);
  return std::floor(low / unit + 1e-6) * unit;
}

/// The greatest speed from which a stop, and the way in `late_s` before it, is no longer than this.
double speed_for(const MotionLimits& limits, double way, double late_s = 0) {
  MotionLimits slower = limits;
  return greatest(limits.speed, [&](double speed) {
    slower.speed = speed;
    return speed == 0 || stop_from(slower) + speed * late_s <= way;
  });
}

void find_in_stops(Findings& f, const OneAxis& a) {
  const double stop = stop_from(a.full);
  constexpr double free_share = 0.25;
  if (stop > a.travel * free_share) {
    const bool per_minute = stop_from({a.full.speed / 60, a.full.accel, a.full.jerk, a.full.decel, a.full.decel_jerk}) <
                            a.travel * free_share;
    f.at_key(Found::long_stop, a.key("speed"), a.info.origin,
             fmt::format("from {:g} {} it stops in {} {}, and has {:g} {} of travel", a.full.speed, a.per_s(),
                         plain(stop), a.info.unit, a.travel, a.info.unit),
             fmt::format("a greater decel, or speed = {:g}{}", speed_for(a.full, a.travel * free_share),
                         per_minute && a.full.speed >= 600
                             ? fmt::format(" ({:g} if that was meant to be {}/min)", a.full.speed / 60, a.info.unit)
                             : ""));
  }
  if (!(a.info.max_stop > 0)) return;
  if (stop > a.info.max_stop)
    f.at_key(Found::stop_too_long, a.key("max_stop"), a.info.origin,
             fmt::format("from {:g} {} it stops in {} {}, and {:g} {} are allowed", a.full.speed, a.per_s(),
                         plain(stop), a.info.unit, a.info.max_stop, a.info.unit),
             fmt::format("speed = {:g}, or a greater decel", speed_for(a.full, a.info.max_stop)));
  const LinkSetup& link = f.rig.setup.links[index(a.setup.wiring.link)];
  const std::string& name = f.rig.links[index(a.setup.wiring.link)].name;
  const double late_s = to_seconds(std::max(link.max_silence, link.frame_valid_for));
  const double whole = stop + a.full.speed * late_s;
  if (stop <= a.info.max_stop && whole > a.info.max_stop)
    f.at_key(Found::silence_too_long, a.key("max_stop"), a.info.origin,
             fmt::format("when {} falls silent it goes on for {:g} ms and stops in {} {}, and {:g} {} are allowed",
                         name, late_s * 1e3, plain(whole), a.info.unit, a.info.max_stop, a.info.unit),
             fmt::format("speed = {:g}, or [link.{}] silence_ms and valid_ms = {:.0f}",
                         speed_for(a.full, a.info.max_stop, late_s), name,
                         std::floor((a.info.max_stop - stop) / a.full.speed * 1e3)));
}

void find_in_speeds(Findings& f, const OneAxis& a) {
  const bool usual = f.rig.origins.find(a.key("decel")) == f.rig.origins.end();
  if (!usual && a.full.decel < a.full.accel)
    f.at_key(Found::weak_decel, a.key("decel"), a.info.origin,
             fmt::format("it loses speed with {:g} {}², and gains it with {:g}", a.full.decel, a.per_s(), a.full.accel),
             fmt::format("decel = {:g} or more, if the machine can", a.full.accel));
  const double least_travel = a.full.speed * a.full.speed / 2 * (1 / a.full.accel + 1 / a.full.decel);
  if (least_travel > a.travel)
    f.at_key(Found::never_at_speed, a.key("speed"), a.info.origin,
             fmt::format("to reach {:g} {} and to stop takes {} {} at least, and it has {:g} {} of travel",
                         a.full.speed, a.per_s(), plain(least_travel), a.info.unit, a.travel, a.info.unit),
             fmt::format("speed = {:g}, or a greater accel and decel", greatest(a.full.speed, [&](double v) {
                           return v * v / 2 * (1 / a.full.accel + 1 / a.full.decel) <= a.travel;
                         })));
  constexpr double fastest_s = 0.05, slowest_s = 900;
  const double through_s = a.travel / a.full.speed;
  if (through_s < fastest_s || (through_s > slowest_s && std::isfinite(through_s)))
    f.at_key(Found::absurd_speed, a.key("speed"), a.info.origin,
             fmt::format("at {:g} {} it goes through its whole travel of {:g} {} in {} s", a.full.speed, a.per_s(),
                         a.travel, a.info.unit, plain(through_s)),
             fmt::format("speed = {:g}, if that was {}", through_s < fastest_s ? a.full.speed / 60 : a.full.speed * 60,
                         through_s < fastest_s ? "meant per minute" : "divided once too often"));
}

void find_in_reports(Findings& f, const OneAxis& a) {
  if (a.info.motor || a.setup.position != PositionKind::measured) return;
  const LinkInfo& link = f.rig.links[index(a.setup.wiring.link)];
  if (link.kind == "simulated") {
    const double lags = a.full.speed * link.number("lag_ms") / 1e3;
    if (lags > a.setup.following_error)
      f.at_key(Found::trips_at_speed, a.key("following_error"), a.info.origin,
               fmt::format("{} lags {:g} ms behind, which is {} {} at full speed, and {:g} {} are a fault", link.name,
                           link.number("lag_ms"), plain(lags), a.info.unit, a.setup.following_error, a.info.unit),
               fmt::format("following_error = {:.3g}, or a machine that lags less", 1.5 * lags));
  }
  constexpr double wide_share = 0.2;
  if (a.setup.following_error > a.travel * wide_share)
    f.at_key(Found::wide_following_error, a.key("following_error"), a.info.origin,
             fmt::format("an axis of {:g} {} may be {:g} {} away from where it is told to be", a.travel, a.info.unit,
                         a.setup.following_error, a.info.unit),
             fmt::format("following_error = {:g}, or a lower speed (without a word it is what the axis goes in 0.1 s)",
                         a.travel * wide_share / 2));
}

void find_in_steps(Findings& f, const OneAxis& a, std::size_t row) {
  const auto& increments = f.rig.setup.notches.increments[row].values;
  const auto* servo = std::get_if<ServoMap>(&a.setup.drive);
  const double pulse = servo != nullptr ? std::abs(servo->position(1501) - servo->position(1500)) : 0;
  for (const Nano value : increments) {
    const double step = from_nano(value);
    if (step > a.travel)
      f.at_key(Found::step_beyond_travel, a.key("increments"), a.info.origin,
               fmt::format("a step of {:g} {} is longer than its travel of {:g} {}", step, a.info.unit, a.travel,
                           a.info.unit),
               "an increment that fits into the travel");
    if (step < pulse)
      f.at_key(Found::step_below_pulse, a.key("increments"), a.info.origin,
               fmt::format("a step of {:g} {} is less than one microsecond of pulse, {:.3g} {}", step, a.info.unit,
                           pulse, a.info.unit),
               fmt::format("an increment of {:.3g} {} or more", pulse, a.info.unit));
  }
}

void find_in_links(Findings& f) {
  constexpr Span long_time = std::chrono::milliseconds(500);
  const double period_ms = to_seconds(f.rig.period) * 1e3;
  for (std::size_t l = 0; l < f.rig.links.size(); ++l) {
    const LinkInfo& link = f.rig.links[l];
    const LinkSetup& setup = f.rig.setup.links[l];
    const std::string table = "link." + link.name + ".";
    const double valid_ms = to_seconds(setup.frame_valid_for) * 1e3, silence_ms = to_seconds(setup.max_silence) * 1e3;
    if (valid_ms <= period_ms)
      f.at_key(Found::stops_between_frames, table + "valid_ms", link.origin,
               fmt::format("a frame is valid for {:g} ms, and the next one comes after {:g} ms", valid_ms, period_ms),
               fmt::format("valid_ms = {:g} or more", 10 * period_ms));
    if (link.kind == "simulated" && silence_ms <= link.number("report_ms") + link.number("delay_ms"))
      f.at_key(Found::silent_between_reports, table + "silence_ms", link.origin,
               fmt::format("it may be silent for {:g} ms, and reports every {:g} ms, {:g} ms late", silence_ms,
                           link.number("report_ms"), link.number("delay_ms")),
               fmt::format("silence_ms = {:g} or more", 5 * (link.number("report_ms") + link.number("delay_ms"))));
    const double late_ms = std::max(silence_ms, valid_ms);
    if (late_ms > to_seconds(long_time) * 1e3)
      f.at_key(Found::long_silence, table + (silence_ms >= valid_ms ? "silence_ms" : "valid_ms"), link.origin,
               fmt::format("nothing stops before {} has been silent for {:g} ms", link.name, late_ms), "50 to 200 ms");
  }
  for (std::size_t h = 0; h < f.rig.handsets.size(); ++h) {
    const HandsetSetup& setup = f.rig.setup.handsets[h];
    const std::string table = "handset." + f.rig.handsets[h] + ".";
    if (setup.max_silence && *setup.max_silence > long_time)
      f.at_key(Found::long_silence, table + "silence_ms", {f.rig.path},
               fmt::format("nothing stops before {} has been silent for {:g} ms", f.rig.handsets[h],
                           to_seconds(*setup.max_silence) * 1e3),
               "five times its longest silence, as gyrax calibrate measures it");
    if (setup.max_age > long_time)
      f.at_key(Found::old_readings, table + "max_age_ms", {f.rig.path},
               fmt::format("a reading of {} counts until it is {:g} ms old", f.rig.handsets[h],
                           to_seconds(setup.max_age) * 1e3),
               "100 ms");
  }
  if (f.rig.setup.max_tick > std::chrono::milliseconds(200) && f.rig.origins.contains("tick.max_ms"))
    f.at_key(Found::late_ticks, "tick.max_ms", {f.rig.path},
             fmt::format("a tick may be {:g} ms late", to_seconds(f.rig.setup.max_tick) * 1e3),
             fmt::format("max_ms = {:g}", std::max(20.0, 5 * period_ms)));
}

void find_in_zones(Findings& f) {
  constexpr Cause of_an_axis[] = {Cause::following_error, Cause::moves_at_rest, Cause::wrong_way, Cause::overspeed,
                                  Cause::position_frozen};
  for (std::size_t z = 0; z < f.rig.zones.size(); ++z)
    for (const Cause cause : of_an_axis) {
      if (f.rig.setup.zones[z].categories[static_cast<std::size_t>(cause)] != Category::two) continue;
      const std::string own = fmt::format("zone.{}.stops.{}", f.rig.zones[z], about(cause).name);
      const std::string all = fmt::format("stops.{}", about(cause).name);
      f.at_key(Found::power_stays, f.rig.origins.contains(own) ? own : all, {f.rig.path},
               fmt::format("in zone '{}' {} is a stop of category 2", f.rig.zones[z], about(cause).name),
               fmt::format("{} = 0", about(cause).name));
    }
}

}  // namespace

void find_in_axes(Findings& f) {
  for (std::size_t row = 0; row < f.rig.axes.size(); ++row) {
    const AxisSetup& setup = f.rig.setup.axes[row];
    const AxisInfo& info = f.rig.axes[row];
    const double infinite = std::numeric_limits<double>::infinity();
    const OneAxis a{info, setup, setup.limits.full(),
                    info.endless || info.motor ? infinite : setup.limits.high() - setup.limits.low()};
    find_in_speeds(f, a);
    if (!info.motor) find_in_stops(f, a);
    find_in_reports(f, a);
    if (!info.motor) find_in_steps(f, a, row);
  }
  find_in_links(f);
  find_in_zones(f);
}

}  // namespace gyrax
