#include <gyrax/handset/controls.hpp>
#include <gyrax/handset/measure.hpp>

#include <fmt/format.h>
#include <linux/input-event-codes.h>
#include <nlohmann/json.hpp>

#include <algorithm>
#include <cmath>
#include <cstdlib>
#include <iterator>
#include <limits>
#include <map>
#include <set>

namespace gyrax {
namespace {

// How a person's hands are told from a control's own unrest. Shares are of the range that was reached.
constexpr double still_s = 0.3;                      // unmoved for so long, it stands somewhere
constexpr double still_share = 0.06;                 // while it wanders no further than this
constexpr double settles_s = 0.12, leaves_s = 0.05;  // of such a time, what still or already belongs to a move
constexpr double excursion_share = 0.2;              // off its rest by more than this, hands moved it
constexpr double jump_share = 0.3, jump_s = 0.02;    // this far and back again within so long is no hand
constexpr double small_share = 0.6;                  // reaches less than this of what the device says
constexpr double bounce_s = 0.012;
constexpr double margin = 1.3;  // of the dead zone beyond what was seen
constexpr double min_dead_zone = 0.02, max_dead_zone = 0.5;

struct At {
  double time_s = 0;
  std::int32_t raw = 0;
};

/// A time for which a control stood still.
struct Stand {
  double from_s = 0, to_s = 0;
  std::int32_t low = 0, high = 0;
  double middle() const { return (static_cast<double>(low) + high) / 2; }
};

struct Series {
  std::vector<At> at;  // jumps taken out
  std::size_t jumps = 0;
  std::int32_t low = std::numeric_limits<std::int32_t>::max(), high = std::numeric_limits<std::int32_t>::min();
  double range() const { return static_cast<double>(high) - low; }
};

/// Takes out what leaps away and comes back within a moment.
Series without_jumps(const std::vector<At>& all, double range) {
  Series series;
  for (std::size_t i = 0; i < all.size(); ++i) {
    const bool inner = i > 0 && i + 1 < all.size() && !series.at.empty();
    if (inner && all[i + 1].time_s - series.at.back().time_s < jump_s &&
        std::abs(static_cast<double>(all[i].raw) - series.at.back().raw) > jump_share * range &&
        std::abs(static_cast<double>(all[i + 1].raw) - series.at.back().raw) < jump_share * range / 3) {
      ++series.jumps;
      continue;
    }
    series.at.push_back(all[i]);
    series.low = std::min(series.low, all[i].raw);
    series.high = std::max(series.high, all[i].raw);
  }
  return series;
}

/// A stand without the moves that lead to it and away: what it said from `first` to before `end`, settled.
Stand settled(const Series& series, std::size_t first, std::size_t end, Stand stand) {
  const double from = stand.from_s + settles_s, to = stand.to_s - leaves_s;
  std::size_t i = first;
  // What it says when it has settled it may have said before.
  while (i + 1 < end && series.at[i + 1].time_s <= from) ++i;
  stand.low = stand.high = series.at[i].raw;
  for (; i < end && series.at[i].time_s <= to; ++i) {
    stand.low = std::min(stand.low, series.at[i].raw);
    stand.high = std::max(stand.high, series.at[i].raw);
  }
  return stand;
}

/// Where it stood still, in order. What it says it goes on saying until its next event.
std::vector<Stand> stands_of(const Series& series, double end_s) {
  std::vector<Stand> stands;
  const double wander = still_share * series.range();
  std::size_t i = 0;
  while (i < series.at.size()) {
    Stand stand{series.at[i].time_s, 0, series.at[i].raw, series.at[i].raw};
    std::size_t j = i + 1;
    for (; j < series.at.size(); ++j) {
      const std::int32_t low = std::min(stand.low, series.at[j].raw), high = std::max(stand.high, series.at[j].raw);
      if (static_cast<double>(high) - low > wander) break;
      stand.low = low;
      stand.high = high;
    }
    stand.to_s = j < series.at.size() ? series.at[j].time_s : end_s;
    if (stand.to_s - stand.from_s < still_s) {
      ++i;
      continue;
    }
    stands.push_back(settled(series, i, j, stand));
    i = j;
  }
  return stands;
}

/// Where it stood for the longest time altogether: hands hold a control for less long than it is left alone.
double home_of(const std::vector<Stand>& stands, double range) {
  const Stand* home = &stands.front();
  double longest = 0;
  for (const Stand& one : stands) {
    double together = 0;
    for (const Stand& other : stands)
      if (std::abs(other.middle() - one.middle()) <= 0.1 * range) together += other.to_s - other.from_s;
    if (together <= longest * 1.001) continue;
    longest = together;
    home = &one;
  }
  return home->middle();
}

std::string percent(double share) { return fmt::format("{:.0f} %", share * 100); }

double rounded_up(double share, double step) { return std::max(0.0, std::ceil(share / step - 1e-9)) * step; }

/// One control that has ends.
class Measuring {
 public:
  Measuring(MeasuredControl& out, const AbsoluteRange& range, const std::vector<At>& all, double end_s)
      : out_(out),
        said_(range),
        series_(without_jumps(all, static_cast<double>(range.maximum) - range.minimum)),
        end_s_(end_s) {
    std::set<std::int32_t> places;
    for (const At& at : all)
      if (places.size() <= 3) places.insert(at.raw);
    places_ = places.size();
  }

  void measure(const ControlName& control) {
    accelerates_ = control.name.starts_with("accel.");
    const bool centred = control.kind == ControlKind::centred;
    const double said = static_cast<double>(said_.maximum) - said_.minimum;
    out_.reversed = control.reversed;
    if (series_.at.empty()) return tell("it never moved: what the kernel holds for it is a placeholder until it does");
    if (series_.range() < 0.02 * said) return tell("it hardly moved");
    const std::vector<Stand> stands = stands_of(series_, end_s_);
    if (stands.empty()) return tell("it never stood still");
    const double range = series_.range(), home = home_of(stands, range);
    const auto near_home = [&](const Stand& s) { return std::abs(s.middle() - home) < excursion_share * range; };
    out_.has_ends = true;
    out_.minimum = series_.low;
    out_.maximum = series_.high;
    rests(stands, near_home, home);
    const double share = (home - said_.minimum) / said;
    const bool in_the_middle = accelerates_ || (share > 0.2 && share < 0.8);
    if (centred != in_the_middle) return give_up(told_otherwise(control, centred));
    if (accelerates_) return gravity();
    if (places_ <= 3) tell("it knows three places only: a stick with contacts; nothing is between rest and full speed");
    if (series_.jumps > 0)
      tell(fmt::format("it jumped away and back {} time{}: a worn track or a loose wire", series_.jumps,
                       series_.jumps == 1 ? "" : "s"));
    if (range < small_share * said)
      tell(fmt::format("it reached only {} of what the device says", percent(range / said)));
    const bool stays = !near_home(stands.back());
    // A throttle stays where it is put; a stick comes back.
    if (stays && centred)
      tell(
          fmt::format("it did not come back: it ended at {}, and was at {:.0f} at first", series_.at.back().raw, home));
    if (centred && (home - series_.low < 0.1 * said || series_.high - home < 0.1 * said))
      return give_up("it was moved to one side only: of the other nothing is known");
    direct(home, control);
    propose(centred, stays && !centred);
  }

 private:
  void tell(std::string what) { out_.wrong.push_back(std::move(what)); }
  void give_up(std::string why) {
    tell(std::move(why));
    out_.has_ends = false;
  }
  static std::string told_otherwise(const ControlName& control, bool centred) {
    return fmt::format(
        fmt::runtime(centred
                         ? "it rests at one end: a knob, a trigger or a throttle, whatever its code says; measure it "
                           "as one: --name {}=knob.1"
                         : "it rests in the middle: a stick, whatever its code says; measure it as one: --name "
                           "{}=stick.right.x"),
        kernel_code(control));
  }

  /// Noise at rest, and where it comes back to from either side.
  template <class Near>
  void rests(const std::vector<Stand>& stands, const Near& near_home, double home) {
    low_ = std::numeric_limits<double>::infinity();
    high_ = -low_;
    std::size_t next = 0;
    int side = 0;
    for (const Stand& stand : stands) {
      for (; next < series_.at.size() && series_.at[next].time_s < stand.from_s; ++next) {
        const double off = series_.at[next].raw - home;
        if (std::abs(off) > excursion_share * series_.range()) side = off < 0 ? -1 : 1;
      }
      if (!near_home(stand)) {
        side = stand.middle() < home ? -1 : 1;
        continue;
      }
      out_.noise = std::max(out_.noise, stand.high - stand.low);
      low_ = std::min(low_, static_cast<double>(stand.low));
      high_ = std::max(high_, static_cast<double>(stand.high));
      const auto middle = static_cast<std::int32_t>(std::lround(stand.middle()));
      if (side < 0) out_.rests_from_below = middle;
      if (side > 0) out_.rests_from_above = middle;
    }
  }

  /// The first move was to the right, away or up.
  void direct(double home, const ControlName& control) {
    for (const At& at : series_.at) {
      const double off = at.raw - home;
      if (std::abs(off) < excursion_share * series_.range()) continue;
      if (control.kind == ControlKind::centred) out_.reversed = off < 0;
      break;
    }
    if (control.kind == ControlKind::one_sided)
      out_.reversed = home > (static_cast<double>(series_.low) + series_.high) / 2;
  }

  /// An acceleration's ends are those of free fall: what the device says they are, otherwise what leaning reached.
  void gravity() {
    const std::int32_t unit = said_.resolution > 0 ? said_.resolution : std::max(series_.high, -series_.low);
    out_.minimum = -unit;
    out_.centre = 0;
    out_.maximum = unit;
    out_.reversed = false;
  }

  void propose(bool centred, bool stays) {
    out_.centre = centred         ? static_cast<std::int32_t>(std::lround((low_ + high_) / 2))
                  : out_.reversed ? out_.maximum
                                  : out_.minimum;
    // Noise takes as much from the ends as from the rest: what they reach every time is full.
    const std::int32_t inset = std::max<std::int32_t>(out_.noise, static_cast<std::int32_t>(series_.range() * 0.01));
    if (centred || out_.reversed) out_.minimum += inset;
    if (centred || !out_.reversed) out_.maximum -= inset;
    if (centred && !(out_.minimum < out_.centre && out_.centre < out_.maximum)) {
      tell("there is no way from its rest to both of its ends");
      out_.has_ends = false;
      return;
    }
    if (out_.minimum >= out_.maximum) {
      out_.has_ends = false;
      return;
    }
    const double below = static_cast<double>(out_.centre) - out_.minimum,
                 above = static_cast<double>(out_.maximum) - out_.centre;
    const double side = centred ? std::min(below, above) : static_cast<double>(out_.maximum) - out_.minimum;
    // What stays where it is put has no rest but its end.
    const double spread = stays                                                       ? out_.noise
                          : centred                                                   ? (high_ - low_) / 2
                          : std::max(high_ - series_.low, series_.high - low_) < side ? high_ - low_
                                                                                      : out_.noise;
    out_.hysteresis = rounded_up(out_.noise / side, 0.005);
    // Wherever it comes to rest is below the lower edge, so that what was moved is at rest again.
    const double wanted = std::max(min_dead_zone, rounded_up(margin * spread / side, 0.01)) + out_.hysteresis;
    out_.dead_zone = std::min(rounded_up(wanted, 0.005), max_dead_zone);
    if (wanted > max_dead_zone)
      tell(fmt::format("it is never at rest: a dead zone of {} would be needed", percent(wanted)));
    else if (wanted > 0.25)
      tell(fmt::format("it is worn: it comes to rest anywhere within {} of full deflection", percent(spread / side)));
  }

  MeasuredControl& out_;
  AbsoluteRange said_;
  Series series_;
  double end_s_, low_ = 0, high_ = 0;
  std::size_t places_ = 0;
  bool accelerates_ = false;
};

/// How reports come, by their frames and by what was held off its rest meanwhile.
void measure_habit(DeviceCalibration& out, const Track& track, const std::map<std::uint16_t, std::vector<At>>& axes) {
  std::vector<double> frames, gaps;
  for (const InputEvent& e : track.events)
    if (e.type == EV_SYN && e.code == SYN_REPORT) frames.push_back(static_cast<double>(e.time_us) * 1e-6);
  for (std::size_t i = 1; i < frames.size(); ++i) gaps.push_back(frames[i] - frames[i - 1]);
  if (gaps.size() < 20) return;
  std::vector<double> sorted = gaps;
  std::sort(sorted.begin(), sorted.end());
  // Fast moves bring a report each time there is one: the shorter gaps are the device's own period.
  const double period = sorted[sorted.size() / 4];
  if (period > 0) out.rate_hz = 1 / period;
  for (const auto& [code, all] : axes) {
    const auto range = track.device.absolute.find(code);
    if (all.empty() || range == track.device.absolute.end()) continue;
    const double home = all.front().raw, reach = static_cast<double>(range->second.maximum) - range->second.minimum;
    for (std::size_t i = 0; i < gaps.size(); ++i) {
      const auto after =
          std::upper_bound(all.begin(), all.end(), frames[i], [](double t, const At& at) { return t < at.time_s; });
      if (after == all.begin()) continue;
      if (std::abs(std::prev(after)->raw - home) > excursion_share * reach)
        out.max_silence_s = std::max(out.max_silence_s, gaps[i]);
    }
  }
  out.habit = sorted.back() > 8 * period && sorted.back() > 0.05 ? ReportHabit::on_change : ReportHabit::steadily;
}

void measure_key(MeasuredControl& out, const std::vector<At>& all) {
  if (all.empty()) {
    out.wrong.emplace_back("it was never pressed");
    return;
  }
  if (all.front().raw == 0) out.wrong.emplace_back("it was down when the recording began");
  if (all.back().raw != 0) out.wrong.emplace_back("it never came up again: it is stuck, or was held to the end");
  // Edges that follow one another faster than fingers can: from the first to the last of them.
  double longest = 0;
  for (std::size_t i = 1, first = 0; i < all.size(); ++i) {
    if (all[i].time_s - all[i - 1].time_s >= bounce_s) {
      first = i;
      continue;
    }
    longest = std::max(longest, all[i].time_s - all[first].time_s);
  }
  if (longest == 0) return;
  out.debounce_s = std::min(0.1, rounded_up(1.5 * longest, 0.004));
  out.wrong.emplace_back("it bounces: what follows a press or a release too fast for fingers is left out");
}

}  // namespace

namespace {

/// Contacts of one make: where most keys of a device bounce, one that happened not to will another time.
void debounce_all(DeviceCalibration& out) {
  std::size_t keys = 0, bouncing = 0;
  double longest = 0;
  for (const MeasuredControl& m : out.controls) {
    if (m.code.first != EV_KEY) continue;
    ++keys;
    bouncing += m.debounce_s > 0 ? 1 : 0;
    longest = std::max(longest, m.debounce_s);
  }
  if (2 * bouncing <= keys) return;
  for (MeasuredControl& m : out.controls)
    if (m.code.first == EV_KEY) m.debounce_s = longest;
}

}  // namespace

DeviceCalibration measure(const Track& track, double length_s) {
  DeviceCalibration out;
  const Device& device = track.device;
  out.id = id_of(device);
  out.name = as_text(device.name);
  out.unique = as_text(device.unique);
  std::map<std::uint16_t, std::vector<At>> axes, keys;
  const double end_s =
      std::max(length_s, track.events.empty() ? 0 : static_cast<double>(track.events.back().time_us) * 1e-6);
  for (const InputEvent& e : track.events) {
    if (e.type == EV_ABS) axes[e.code].push_back({static_cast<double>(e.time_us) * 1e-6, e.value});
    if (e.type == EV_KEY && e.value != 2) keys[e.code].push_back({static_cast<double>(e.time_us) * 1e-6, e.value});
  }
  measure_habit(out, track, axes);
  for (const auto& [code, range] : device.absolute) {
    const ControlName* control = control_on(device, EV_ABS, code);
    if (control == nullptr || control->kind == ControlKind::key) continue;
    MeasuredControl& m = out.controls.emplace_back();
    m.name = control->name;
    m.code = {EV_ABS, code};
    Measuring(m, range, axes[code], end_s).measure(*control);
    m.trembles = m.has_ends && m.noise > std::max(1, range.fuzz);
  }
  for (const std::uint16_t code : device.keys) {
    const ControlName* control = control_on(device, EV_KEY, code);
    if (control == nullptr) continue;
    MeasuredControl& m = out.controls.emplace_back();
    m.name = control->name;
    m.code = {EV_KEY, code};
    measure_key(m, keys[code]);
  }
  debounce_all(out);
  return out;
}

}  // namespace gyrax
