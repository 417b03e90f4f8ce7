// What is absurd or dangerous in the numbers of axes, links, handsets and times.
#include "axes.hpp"
#include "boards.hpp"
#include "findings_kinds.hpp"

#include <gyrax/rig/predictions.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <functional>
#include <map>
#include <optional>

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

/// The greatest speed from which a stop is no longer than this.
double speed_for(const MotionLimits& limits, double way) {
  MotionLimits slower = limits;
  return greatest(limits.speed, [&](double speed) {
    slower.speed = speed;
    return speed == 0 || stop_from(slower) <= way;
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
  if (a.info.max_stop > 0 && stop > a.info.max_stop)
    f.at_key(Found::stop_too_long, a.key("max_stop"), a.info.origin,
             fmt::format("from {:g} {} it stops in {} {}, and {:g} {} are allowed", a.full.speed, a.per_s(),
                         plain(stop), a.info.unit, a.info.max_stop, a.info.unit),
             fmt::format("speed = {:g}, or a greater decel", speed_for(a.full, a.info.max_stop)));
}

/// A number of the rig on which it depends how soon a failure is noticed.
struct Knob {
  std::string key, words;  // "link.bench.silence_ms", "[link.bench] silence_ms"
  double now = 0;          // in the key's own unit
  std::function<void(Rig&, double)> turn;
};

Span of_ms(double ms) { return from_seconds(ms / 1e3); }

/// The handset of a zone for which a time is the longest.
template <class TimeOf>
HandsetId slowest(const Rig& rig, const ZoneSetup& zone, TimeOf time_of) {
  return *std::ranges::max_element(zone.handsets, {},
                                   [&](HandsetId h) { return time_of(rig.setup.handsets[index(h)]); });
}

std::optional<Knob> knob_of(const Rig& rig, std::size_t row, Cause cause) {
  const AxisSetup& axis = rig.setup.axes[row];
  const ZoneSetup& zone = rig.setup.zones[index(axis.zone)];
  const auto of_handset = [&](HandsetId h, const char* key, double now, auto turn) {
    const std::string& name = rig.handsets[index(h)];
    return Knob{fmt::format("handset.{}.{}", name, key), fmt::format("[handset.{}] {}", name, key), now,
                [h, turn](Rig& r, double value) { turn(r.setup.handsets[index(h)], value); }};
  };
  switch (side_of(cause)) {
    case Side::person: {
      if (zone.handsets.empty()) return std::nullopt;
      const HandsetId h = slowest(rig, zone, [](const HandsetSetup& s) { return s.max_age; });
      return of_handset(h, "max_age_ms", to_seconds(rig.setup.handsets[index(h)].max_age) * 1e3,
                        [](HandsetSetup& s, double ms) { s.max_age = of_ms(ms); });
    }
    case Side::handset: {
      if (cause != Cause::handset_silent) return std::nullopt;
      const HandsetId h = slowest(rig, zone, [](const HandsetSetup& s) { return s.max_silence.value_or(Span{}); });
      return of_handset(h, "silence_ms", to_seconds(*rig.setup.handsets[index(h)].max_silence) * 1e3,
                        [](HandsetSetup& s, double ms) { s.max_silence = of_ms(ms); });
    }
    case Side::link: {
      if (cause != Cause::link_silent) return std::nullopt;
      const std::size_t l = index(axis.wiring.link);
      return Knob{fmt::format("link.{}.silence_ms", rig.links[l].name),
                  fmt::format("[link.{}] silence_ms", rig.links[l].name),
                  to_seconds(rig.setup.links[l].max_silence) * 1e3,
                  [l](Rig& r, double ms) { r.setup.links[l].max_silence = of_ms(ms); }};
    }
    case Side::machine:
      return Knob{fmt::format("axis.{}.following_error", rig.axes[row].name), "following_error", axis.following_error,
                  [row](Rig& r, double value) { r.setup.axes[row].following_error = value; }};
    case Side::program: return std::nullopt;
  }
  return std::nullopt;
}

double way_of(const Rig& rig, std::size_t row, Cause cause) {
  return Predictor(rig, id_at<AxisId>(row)).of(cause).way();
}

/// What is predicted, against what the rig allows: for each number that decides about it, the worst.
void find_in_allowance(Findings& f, const OneAxis& a, std::size_t row) {
  const double allowed = a.info.max_stop;
  if (!(allowed > 0) || stop_from(a.full) > allowed) return;
  const Predictor predictor(f.rig, id_at<AxisId>(row));
  if (!(predictor.speed() > 0)) return;
  std::map<std::string, Prediction> worst;
  for (std::size_t c = 1; c < cause_count; ++c) {
    const auto cause = static_cast<Cause>(c);
    // What a radio repeats is a matter of seconds, and of a travel.
    if (cause == Cause::handset_steady || !predictor.applies(cause)) continue;
    const Prediction p = predictor.of(cause);
    if (p.way() <= allowed) continue;
    const auto knob = knob_of(f.rig, row, cause);
    Prediction& most = worst[knob ? knob->key : ""];
    if (p.way() > most.way()) most = p;
  }
  // What is noticed at once is mended with whatever else goes too far.
  if (worst.size() > 1) worst.erase("");
  Rig other = f.rig;
  for (const auto& one : worst) {
    const Prediction& p = one.second;
    std::string instead;
    const AxisLimits limits = other.setup.axes[row].limits;
    const double speed = greatest(a.full.speed, [&](double v) {
      MotionLimits slower = a.full;
      slower.speed = std::max(v, AxisLimits::min);
      other.setup.axes[row].limits = *AxisLimits::make(limits.low(), limits.high(), slower);
      return way_of(other, row, p.cause) <= allowed;
    });
    other.setup.axes[row].limits = limits;
    if (speed > 0) instead = fmt::format("speed = {:g}", speed);
    if (const auto knob = knob_of(f.rig, row, p.cause)) {
      const double value = greatest(knob->now, [&](double v) {
        knob->turn(other, v);
        return way_of(other, row, p.cause) <= allowed;
      });
      knob->turn(other, knob->now);
      if (value > 0) instead += fmt::format("{}{} = {:g}", instead.empty() ? "" : ", or ", knob->words, value);
    }
    f.at_key(Found::noticed_too_late, a.key("max_stop"), a.info.origin,
             fmt::format("after {} it goes {} {}, {} of them until it is noticed ({}), and {:g} {} are allowed",
                         about(p.cause).name, plain(p.way()), a.info.unit, plain(p.notice_way), p.notice, allowed,
                         a.info.unit),
             instead.empty() ? "a lower speed and a smaller following_error together, or a greater decel" : instead);
  }
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
  if (link.kind == "simulated" || link.kind == "controller") {
    const FarEnd far = far_end_of(f.rig, a.setup.wiring.link);
    const double lag_s = far.queue_s > 0 ? far.queue_s : far.lag_s, lags = a.full.speed * lag_s;
    if (lags > a.setup.following_error)
      f.at_key(Found::trips_at_speed, a.key("following_error"), a.info.origin,
               fmt::format("{} lags {:.0f} ms behind, which is {} {} at full speed, and {:g} {} are a fault", link.name,
                           lag_s * 1e3, plain(lags), a.info.unit, a.setup.following_error, a.info.unit),
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

/// The least that its far end can be told, and what that is; nothing where it has none.
struct LeastStep {
  double size = 0;
  const char* is = "";
};
LeastStep least_step_of(const Rig& rig, const OneAxis& a) {
  const LinkInfo& link = rig.links[index(a.setup.wiring.link)];
  if (link.dialect) {
    const double count = std::pow(10, -link.dialect->decimals);
    return {link.dialect->inch && a.info.unit == "mm" ? count * 25.4 : count, "the last decimal of its controller"};
  }
  if (link.axis_channels.empty()) return {};
  const ChannelInfo& channel = link.axis_channels[a.setup.wiring.channel];
  if (channel.kind != wire::ChannelKind::stepper) return {};
  return {std::abs(channel.per / channel.steps), "one step of its motor"};
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
    const LeastStep least = least_step_of(f.rig, a);
    if (least.size > 0 && step < least.size * (1 - 1e-9))
      f.at_key(Found::step_below_step, a.key("increments"), a.info.origin,
               fmt::format("a step of {:g} {} is less than {}, {:.3g} {}", step, a.info.unit, least.is, least.size,
                           a.info.unit),
               fmt::format("an increment of {:.3g} {} or more", least.size, a.info.unit));
    if (step < pulse * (1 - 1e-9))
      f.at_key(Found::step_below_pulse, a.key("increments"), a.info.origin,
               fmt::format("a step of {:g} {} is less than one microsecond of pulse, {:.3g} {}", step, a.info.unit,
                           pulse, a.info.unit),
               fmt::format("an increment of {:.3g} {} or more", pulse, a.info.unit));
  }
}

void find_in_notches(Findings& f, const OneAxis& a, std::size_t row) {
  const auto* servo = std::get_if<ServoMap>(&a.setup.drive);
  if (servo == nullptr) return;
  constexpr double fewest_pulses_s = 10;
  const NotchSetup& notches = f.rig.setup.notches;
  const std::size_t list = row < notches.override_of.size() ? index(notches.override_of[row]) : 0;
  const double least = *std::ranges::min_element(notches.overrides[list].values);
  const double pulse = std::abs(servo->position(1501) - servo->position(1500));
  const double pulses_s = a.full.speed * least / 100 / pulse;
  if (pulses_s < fewest_pulses_s)
    f.at_key(
        Found::coarse_notch, list == 0 ? "override.notches" : a.key("override"), a.info.origin,
        fmt::format("at {:g} % {} goes {} {} a second, {} microseconds of its pulse", least, a.info.name,
                    plain(a.full.speed * least / 100), a.info.unit, plain(pulses_s)),
        fmt::format("a least notch of {:g} % or more", std::ceil(fewest_pulses_s * pulse / a.full.speed * 1000) / 10));
}

void find_in_calibrations(Findings& f) {
  for (std::size_t s = 0; s < f.rig.slots.size(); ++s) {
    const ControlSetup& control = f.rig.setup.controls[s];
    const ControlKind kind = control.calibration.kind();
    if (control.control == no<ControlId> || f.rig.slots[s].own_ends) continue;
    if (kind != ControlKind::centred && kind != ControlKind::one_sided) continue;
    const std::size_t h = index(control.handset);
    const auto& measured = f.rig.seats[h].calibrated;
    if (!measured) continue;
    f.at_key(Found::not_calibrated, "handset." + f.rig.handsets[h] + ".calibration", {f.rig.path},
             fmt::format("{} is not in {}", f.rig.slots[s].name, measured->file),
             fmt::format("gyrax calibrate --out {} --replace, and move it", measured->file));
  }
}

/// Whether its wire carries what it is told, and what would fit.
void find_in_wire(Findings& f, const LinkInfo& link, const std::string& table) {
  const BoardTimes times = board_times(f.rig.links, link);
  if (!(times.share > 1)) return;
  const double most_hz = std::floor(link.number("rate_hz") / times.share);
  if (is_half_duplex(link)) {
    f.at_key(Found::wire_too_slow, table + "board.rate_hz", link.origin,
             fmt::format("{} boards take turns on {}, which takes {:.0f} % of the time that there is", times.boards,
                         link.text("serial"), times.share * 100),
             most_hz >= 1 ? fmt::format("rate_hz = {:g} of each, or a faster bus", most_hz) : "a faster bus");
    return;
  }
  f.at_key(Found::wire_too_slow, table + "board.rate_hz", link.origin,
           fmt::format("{} channels, {:g} times a second, are {} bytes a second, and {:g} baud carry {:g}",
                       times.channels, link.number("rate_hz"), plain(times.share * times.bytes_per_s),
                       link.number("baud"), times.bytes_per_s),
           most_hz >= 1 ? fmt::format("rate_hz = {:g}, or a faster wire", most_hz) : "a faster wire");
}

/// Whether what feeds it gives what all of it takes at once.
void find_in_supply(Findings& f, const LinkInfo& link, const std::string& table) {
  const double most = most_taken(link);
  if (link.supply_a == 0 || most <= link.supply_a) return;
  f.at_key(Found::supply_too_small, table + "supply_a", link.origin,
           fmt::format("{} gets {} A, and takes {} A when everything moves at once", link.name, plain(link.supply_a),
                       plain(most)),
           fmt::format("a supply of {} A or more", plain(most)));
}

void find_in_links(Findings& f) {
  constexpr Span long_time = std::chrono::milliseconds(500);
  const double tick_ms = to_seconds(f.rig.period) * 1e3;
  for (std::size_t l = 0; l < f.rig.links.size(); ++l) {
    const LinkInfo& link = f.rig.links[l];
    const bool is_board = link.kind == "board";
    const FarEnd far = far_end_of(f.rig, id_at<LinkId>(l));
    // A simulated machine is told in every tick; all others as often as they report.
    const double period_ms = link.kind == "simulated" ? tick_ms : far.report_s * 1e3;
    const LinkSetup& setup = f.rig.setup.links[l];
    const std::string table = "link." + link.name + ".";
    const double valid_ms = to_seconds(setup.frame_valid_for) * 1e3, silence_ms = to_seconds(setup.max_silence) * 1e3;
    // What has a queue goes on until that has run out.
    if (valid_ms <= period_ms && far.queue_s == 0)
      f.at_key(Found::stops_between_frames, table + "valid_ms", link.origin,
               fmt::format("a frame is valid for {:g} ms, and the next one comes after {:g} ms", valid_ms, period_ms),
               fmt::format("valid_ms = {:g} or more", 10 * period_ms));
    const double report_ms = far.report_s * 1e3, delay_ms = (far.delay_s + far.late_s) * 1e3;
    if (silence_ms <= report_ms + delay_ms)
      f.at_key(Found::silent_between_reports, table + "silence_ms", link.origin,
               fmt::format("it may be silent for {:g} ms, and reports every {:g} ms, {:.3g} ms late", silence_ms,
                           report_ms, delay_ms),
               fmt::format("silence_ms = {:.0f} or more",
                           std::ceil(5 * (far.report_s + far.delay_s) * 1e3 + far.late_s * 1e3)));
    if (is_board) find_in_wire(f, link, table);
    find_in_supply(f, link, table);
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
             fmt::format("max_ms = {:g}", std::max(20.0, 5 * tick_ms)));
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
    if (!info.motor) find_in_allowance(f, a, row);
    find_in_reports(f, a);
    if (!info.motor) find_in_steps(f, a, row);
    find_in_notches(f, a, row);
  }
  find_in_calibrations(f);
  find_in_links(f);
  find_in_zones(f);
}

}  // namespace gyrax
