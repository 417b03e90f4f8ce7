#include "random.hpp"
#include "ways.hpp"
#include "wires.hpp"

#include <gyrax/engine/engine.hpp>
#include <gyrax/engine/same.hpp>
#include <gyrax/faults/campaign.hpp>
#include <gyrax/faults/operator.hpp>
#include <gyrax/files/json_version.hpp>
#include <gyrax/rig/predictions.hpp>
#include <gyrax/testing/limit_checker.hpp>

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include <algorithm>
#include <cmath>

namespace gyrax {
namespace {

using namespace std::chrono_literals;

constexpr std::uint64_t ticks_a_life = 10'000;
/// A hand's word may be so old that it still counts: late readings, debounce, a gesture that waits.
constexpr Span still_told = 500ms;

/// What is kept of an axis from tick to tick.
struct Watched {
  explicit Watched(const Rig& rig, std::size_t a)
      : limits(rig.setup.axes[a].limits),
        checker(limits),
        rest_speed(limits.speed() * 1e-3),
        stop_s(longest_stop(rig, id_at<AxisId>(a), limits.speed()).time_s),
        coupled(is_coupled(rig, id_at<AxisId>(a))) {
    const FarEnd far = far_end_of(rig, id_at<AxisId>(a));
    rests_after = from_seconds(far.valid_s + std::max(far.top_speed, limits.speed()) / far.decel + 0.05);
  }
  AxisLimits limits;
  testing::LimitChecker checker;
  double rest_speed, stop_s;
  bool coupled;
  Span rests_after{};  // without power
  AxisCommand last;
  bool was_live = false;
  bool checked = false;  // checker goes on
  double rest_by_s = 0;  // of motion time
  bool stops = false;
  Time off_since{};
  bool is_off = true;
  bool broken = false;  // its machine
};

/// One life of a rig.
class Life {
 public:
  Life(const Rig& rig, std::uint64_t seed, std::uint64_t number, CampaignReport& report)
      : rig_(rig),
        report_(report),
        seed_(seed),
        number_(number),
        random_(seed * 0x9e3779b97f4a7c15u + number * 0xd1342543de82ef95u),
        engine_(rig.setup),
        reference_(rig.setup, Recompute::everything),
        out_(rig.setup, 64),
        again_(rig.setup, 64),
        wires_(rig, random_.next()),
        hands_(rig),
        held_(rig.setup.bindings.size()),
        unpowered_for_(rig.zones.size()) {
    for (std::size_t a = 0; a < rig.axes.size(); ++a) {
      axes_.emplace_back(rig, a);
      for (const Way& way : ways_of(rig, id_at<AxisId>(a))) ways_.push_back(way);
    }
    shared_.resize(rig.slots.size());
    for (std::size_t s = 0; s < rig.slots.size(); ++s) {
      const VirtualControl& made = rig.setup.controls[s].virtual_control;
      if (made.how == VirtualControl::How::none) continue;
      shared_[s] = 1;
      for (std::size_t i = 0; i < parts_of(made.how); ++i) shared_[index(made.parts[i])] = 1;
    }
  }

  void live(std::uint64_t ticks) {
    for (std::size_t h = 0; h < rig_.handsets.size(); ++h)
      if (h == 0 || random_.chance(0.9)) hands_.plug(id_at<HandsetId>(h), now_, random_.chance(0.3));
    for (std::uint64_t t = 0; t < ticks && !failed_; ++t) {
      act();
      fail_something();
      tick(next_span());
    }
  }

 private:
  struct Later {
    Time at{};
    SlotId slot{};
    double share = 0;
  };

  void violated(const std::string& what) {
    failed_ = true;
    ++report_.violations;
    constexpr std::size_t most_told = 20;
    if (report_.told.size() < most_told)
      report_.told.push_back(
          fmt::format("seed {} life {}, after {:.3f} s: {}", seed_, number_, to_seconds(now_), what));
  }

  Span next_span() {
    const double what = random_.share();
    if (what < 0.00003) return from_seconds(random_.between(0.02, 2));
    if (what < 0.00005) return -from_seconds(random_.between(0.0001, 0.2));
    if (what < 0.01) return 0ns;
    if (what < 0.05) return from_seconds(random_.between(0.0002, to_seconds(rig_.setup.max_tick)));
    return rig_.period;
  }

  // Hands.

  void hold(SlotId slot, double share, Span how_long) {
    hands_.put(slot, share, now_);
    later_.push_back({now_ + how_long, slot, 0});
  }
  void do_word(ZoneId zone, HandsetId beside, bool (*is_it)(const Effect&), Span how_long) {
    const auto id = word_for(rig_, zone, beside, is_it);
    if (!id) return;
    const BindingSetup& b = rig_.setup.bindings[index(*id)];
    if (b.gesture == Gesture::hold) how_long = std::max(how_long, b.hold + 30ms);
    for (const SlotId slot : b.with) hold(slot, 1, how_long);
    const auto* enable = b.as<effect::Enable>();
    hold(b.slot, enable != nullptr && enable->squeeze && random_.chance(0.9) ? 0.6 : 1, how_long);
  }
  Span some(double least_s, double most_s) { return from_seconds(random_.between(least_s, most_s)); }

  void act() {
    for (const Later& one : later_)
      if (one.at <= now_) hands_.put(one.slot, one.share, now_);
    std::erase_if(later_, [&](const Later& one) { return one.at <= now_; });
    if (now_ < acts_at_ || ways_.empty()) return;
    acts_at_ = now_ + some(0.01, 0.4);
    const Way& way = ways_[random_.below(ways_.size())];
    const BindingSetup& b = rig_.setup.bindings[index(way.binding)];
    const HandsetId handset = rig_.setup.controls[index(b.slot)].handset;
    const ZoneId zone = rig_.setup.axes[index(moved_by(b.effect))].zone;
    const double what = random_.share();
    if (what < 0.6) {
      go_on(way, zone, handset);
    } else if (what < 0.75) {
      const SlotId slot = id_at<SlotId>(random_.below(rig_.slots.size()));
      if (rig_.setup.controls[index(slot)].calibration.kind() == ControlKind::counts)
        hands_.turn(slot, static_cast<int>(random_.below(41)) - 20, now_);
      else
        hands_.put(slot, random_.chance(0.5) ? 0 : random_.between(-1, 1), now_);
    } else if (what < 0.8) {
      do_word(zone, handset, stops, some(0.02, 0.5));
    } else if (what < 0.82) {
      hands_.delay(random_.chance(0.5) ? Span{} : some(0, 0.09));
    } else if (what < 0.84) {
      upset(handset);
    }
  }

  /// What somebody does who wants it to move.
  void go_on(const Way& way, ZoneId zone, HandsetId handset) {
    switch (engine_.permit(zone).state()) {
      case State::stowed: return do_word(zone, handset, makes_ready, some(0.03, 0.2));
      case State::tripped: return do_word(zone, handset, resets, random_.chance(0.2) ? 2500ms : some(0.03, 0.3));
      case State::ready:
        if (!rig_.setup.zones[index(zone)].hold_to_run) return do_word(zone, handset, enables, some(0.2, 8));
        break;
      default: break;
    }
    const BindingSetup& b = rig_.setup.bindings[index(way.binding)];
    if (b.layer != no<LayerId> && rig_.setup.layers[index(b.layer)].held != no<SlotId>)
      hold(rig_.setup.layers[index(b.layer)].held, 1, some(0.1, 3));
    if (rig_.setup.controls[index(b.slot)].calibration.kind() == ControlKind::counts)
      hands_.turn(b.slot, static_cast<int>(random_.below(21)) - 10, now_);
    else
      hold(b.slot, random_.chance(0.5) ? 1 : random_.between(-1, 1), some(0.03, 2));
  }

  void upset(HandsetId handset) {
    ++report_.failures;
    switch (random_.below(6)) {
      case 0:
        if (hands_.plugged(handset))
          hands_.unplug(handset, now_);
        else
          hands_.plug(handset, now_, random_.chance(0.3));
        break;
      case 1: hands_.miss(handset, 1 + static_cast<std::uint32_t>(random_.below(3))); break;
      case 2:
        hands_.freeze(handset, now_);
        thaws_ = {now_ + some(0.01, 3), handset};
        break;
      case 3: say(handset, now_, 2'000'000'000); break;
      case 4: say(handset, now_ - 2s, 1); break;
      default:
        for (int i = 0; i < 300; ++i) say(handset, now_, static_cast<std::int32_t>(random_.below(2)));
    }
  }

  void say(HandsetId handset, Time event, std::int32_t raw) {
    for (std::size_t s = 0; s < rig_.slots.size(); ++s)
      if (const ControlSetup& c = rig_.setup.controls[s]; c.handset == handset && c.control != no<ControlId>) {
        // What it says differs from how the control stands.
        lied_ = now_;
        hands_.say({handset, c.control, 0, event, event, raw});
        return;
      }
  }

  // Wires and machines.

  void fail_something() {
    if (thaws_.first != Time{} && now_ >= thaws_.first) {
      hands_.freeze(thaws_.second, now_, false);
      thaws_ = {};
      lied_ = now_;
    }
    if (mends_ != Time{} && now_ >= mends_) {
      for (std::size_t l = 0; l < rig_.links.size(); ++l) {
        wires_.spoil(id_at<LinkId>(l), Spoils::nothing);
        wires_.machines().bench(id_at<LinkId>(l)).break_wire(sim::WireFault::none);
      }
      for (std::size_t a = 0; a < axes_.size(); ++a) {
        wires_.machines().break_axis(id_at<AxisId>(a), sim::AxisFault::none);
        axes_[a].broken = false;
      }
      mends_ = {};
      mended_ = now_;
    }
    if (mends_ != Time{} || !random_.chance(0.0005)) return;
    ++report_.failures;
    mends_ = now_ + some(0.005, 1);
    const LinkId link = id_at<LinkId>(random_.below(rig_.links.size()));
    const std::size_t axis = random_.below(axes_.size());
    switch (random_.below(3)) {
      case 0: wires_.spoil(link, static_cast<Spoils>(1 + random_.below(6)), some(0.01, 0.5), random_.share()); break;
      case 1: wires_.machines().bench(link).break_wire(static_cast<sim::WireFault>(1 + random_.below(3))); break;
      default:
        axes_[axis].broken = true;
        wires_.machines().break_axis(id_at<AxisId>(axis), static_cast<sim::AxisFault>(1 + random_.below(6)));
    }
  }

  // What is held.

  void tick(Span span) {
    now_ += span;
    wires_.advance(std::max(now_, machine_now_));
    machine_now_ = std::max(now_, machine_now_);
    const auto readings = hands_.take(now_);
    const auto reports = wires_.take(now_);
    engine_.tick({now_, readings, reports}, out_.view());
    reference_.tick({now_, readings, reports}, again_.view());
    bool alike = same(out_.view(), again_.view()) && same(engine_.requests(), reference_.requests());
    cut_off_ = 0;
    for (Event event, other; out_.events.read(event);) {
      alike = alike && again_.events.read(other) && event == other;
      watch(event);
    }
    if (!alike) violated("what has not changed was another when worked out anew");
    wires_.send(out_.frames);
    ++report_.ticks;
    note_held();
    for (std::size_t z = 0; z < rig_.zones.size() && !failed_; ++z) watch_zone(z);
    const double dt_s = std::clamp(to_seconds(span), 0.0, to_seconds(rig_.setup.max_tick));
    motion_s_ += dt_s;
    bool moving = false;
    for (std::size_t a = 0; a < axes_.size() && !failed_; ++a) {
      watch_axis(a, dt_s);
      moving = moving || out_.commands[a].v != 0;
    }
    report_.moving += moving ? 1 : 0;
    watch_brakes();
  }

  void watch(const Event& event) {
    if (event.kind == Event::Kind::state) {
      // Made ready and tripped in one tick, it has power until that is over.
      if (event.state == State::ready) unpowered_for_[index(event.zone)] = -1;
      report_.times_live += event.state == State::live ? 1 : 0;
      report_.stops += event.state == State::stopping ? 1 : 0;
      report_.trips += event.state == State::tripped ? 1 : 0;
    }
    const bool stops = event.kind == Event::Kind::fault;
    if (stops && event.zone != no<ZoneId> && event.cause != Cause::envelope_refused &&
        rig_.setup.zones[index(event.zone)].categories[static_cast<std::size_t>(event.cause)] == Category::zero)
      cut_off_ |= bit(event.zone);
  }

  /// When each binding that allows motion was last held by a hand, or could still be believed to be.
  void note_held() {
    for (std::size_t row = 0; row < held_.size(); ++row) {
      const BindingSetup& b = rig_.setup.bindings[row];
      const HandsetId handset = rig_.setup.controls[index(b.slot)].handset;
      const bool frozen = thaws_.first != Time{} && thaws_.second == handset;
      const bool held = std::abs(hands_.share(b.slot)) > 0.05;
      if (held || frozen || shared_[index(b.slot)] != 0) held_[row] = now_;
    }
  }

  bool somebody_allows(ZoneId zone) const {
    if (now_ - lied_ <= 1s) return true;
    const bool hold_to_run = rig_.setup.zones[index(zone)].hold_to_run;
    for (std::size_t row = 0; row < held_.size(); ++row) {
      const Effect& effect = rig_.setup.bindings[row].effect;
      const bool allows = hold_to_run ? about(effect).moves && rig_.setup.axes[index(moved_by(effect))].zone == zone
                                      : enables(effect) && has(zones_of(effect), zone);
      if (allows && now_ - held_[row] <= still_told) return true;
    }
    return false;
  }

  void watch_zone(std::size_t z) {
    const ZoneId zone = id_at<ZoneId>(z);
    const Permit& permit = engine_.permit(zone);
    if (permit.live() && !somebody_allows(zone))
      violated(fmt::format("zone {} is live and nobody holds it so", rig_.zones[z]));
    bool powered = false;
    for (const AxisId axis : rig_.setup.zones[z].axes)
      powered = powered || out_.commands[index(axis)].mode != Mode::off;
    if (has(cut_off_, zone) && powered && permit.state() == State::tripped)
      violated(fmt::format("zone {} has power after a stop of category 0", rig_.zones[z]));
    const bool should_be_off =
        (permit.state() == State::tripped || permit.state() == State::stowed) && permit.category() != Category::two;
    unpowered_for_[z] = should_be_off ? unpowered_for_[z] + 1 : 0;
    if (unpowered_for_[z] > 2 && powered)
      violated(fmt::format("zone {} is {} and has power", rig_.zones[z], name_of(permit.state())));
  }

  void watch_axis(std::size_t a, double dt_s) {
    Watched& axis = axes_[a];
    const AxisCommand& c = out_.commands[a];
    const std::string& name = rig_.axes[a].name;
    const Permit& permit = engine_.permit(rig_.setup.axes[a].zone);
    const bool may = permit.live() || permit.stopping();
    const bool moves = c.mode != Mode::off && (c.v != 0 || c.a != 0);
    if (moves && !may && !axis.stops)
      violated(fmt::format("{} moves and its zone is {}", name, name_of(permit.state())));
    // As it goes live it is taken up where it is measured.
    const bool taken_up = permit.live() && !axis.was_live;
    axis.was_live = permit.live();
    if (c.mode == Mode::follow && axis.checked && !taken_up)
      axis.checker.tick(c.p, c.v, c.a, dt_s);
    else
      axis.checker.start(c.p, c.v, c.a);
    axis.checked = c.mode == Mode::follow;
    if (axis.checker.worst() > 0) violated(fmt::format("{} passes a limit by {:g}", name, axis.checker.worst()));
    watch_stop(axis, c, permit.live(), name);
    watch_machine(axis, a, c, name);
    axis.last = c;
  }

  /// Where nothing is broken.
  void watch_brakes() {
    std::uint64_t slips = 0;
    for (std::size_t l = 0; l < rig_.links.size(); ++l)
      slips += wires_.machines().bench(id_at<LinkId>(l)).brake_slips();
    if (slips > slips_ && mends_ == Time{} && now_ - mended_ > 3s) violated("a brake was worked on an axis that moves");
    slips_ = slips;
  }

  void watch_stop(Watched& axis, const AxisCommand& c, bool live, const std::string& name) {
    if (live || (c.v == 0 && c.a == 0) || c.mode == Mode::off) {
      axis.stops = false;
      return;
    }
    if (!axis.stops) {
      axis.stops = true;
      const double ramp_s = axis.limits.full().accel / axis.limits.full().jerk;
      axis.rest_by_s =
          motion_s_ +
          (axis.coupled ? axis.stop_s + ramp_s : stop_reach({0, axis.last.v, axis.last.a}, axis.limits.full()).time_s);
    }
    const double late_s = motion_s_ - axis.rest_by_s;
    const double tick_s = to_seconds(rig_.setup.max_tick);
    if (late_s > 2 * tick_s)
      violated(fmt::format("{} still moves at {:g}, {:g} s after it had to rest", name, c.v, late_s));
    if (late_s > -to_seconds(rig_.period)) ++report_.near;
  }

  void watch_machine(Watched& axis, std::size_t a, const AxisCommand& c, const std::string& name) {
    if (c.mode != Mode::off) axis.is_off = false;
    if (c.mode == Mode::off && !axis.is_off) {
      axis.is_off = true;
      axis.off_since = machine_now_;
    }
    const double speed = wires_.machines().speed(id_at<AxisId>(a));
    if (axis.is_off && !axis.broken && machine_now_ - axis.off_since > axis.rests_after &&
        std::abs(speed) > axis.rest_speed)
      violated(fmt::format("{} has no power, and its machine moves at {:g}", name, speed));
  }

  const Rig& rig_;
  CampaignReport& report_;
  std::uint64_t seed_, number_;
  Random random_;
  Engine engine_, reference_;
  TickBuffers out_, again_;
  Wires wires_;
  Operator hands_;
  std::vector<Way> ways_;
  std::vector<Watched> axes_;
  std::vector<Time> held_;            // by BindingId
  std::vector<std::uint8_t> shared_;  // by SlotId: part of another, or made of others
  std::vector<Later> later_;
  std::vector<std::int64_t> unpowered_for_;  // by ZoneId: ticks
  ZoneBits cut_off_ = 0;                     // in this tick, by a stop of category 0
  std::pair<Time, HandsetId> thaws_{};
  Time now_{1s}, machine_now_{}, acts_at_{}, mends_{}, mended_{}, lied_{};
  std::uint64_t slips_ = 0;
  double motion_s_ = 0;
  bool failed_ = false;
};

}  // namespace

CampaignReport campaign(const Rig& given, std::uint64_t ticks, std::uint64_t seed) {
  const Rig rig = homed(given);
  CampaignReport report;
  while (report.ticks < ticks) {
    Life life(rig, seed, report.lives++, report);
    life.live(std::min(ticks_a_life, ticks - report.ticks));
  }
  return report;
}

std::string text(const Rig& rig, const CampaignReport& report, std::uint64_t seed) {
  std::string text = fmt::format(
      "{}: {} ticks in {} lives, seed {}\n"
      "  {} ticks with an axis moving; {} times live, {} stops, {} trips; {} failures of handsets, wires and machines\n"
      "  {} ticks at the very end of what a stop may take\n",
      rig.title.empty() ? rig.path : rig.title, report.ticks, report.lives, seed, report.moving, report.times_live,
      report.stops, report.trips, report.failures, report.near);
  for (const std::string& one : report.told) text += fmt::format("  {}\n", one);
  return text + (report.violations == 0 ? "No violation\n" : fmt::format("{} violations\n", report.violations));
}

std::string json(const Rig& rig, const CampaignReport& report, std::uint64_t seed) {
  const nlohmann::ordered_json all{{"gyrax_json", json_version},      {"rig", rig.title.empty() ? rig.path : rig.title},
                                   {"holds", report.violations == 0}, {"seed", seed},
                                   {"ticks", report.ticks},           {"lives", report.lives},
                                   {"moving", report.moving},         {"times_live", report.times_live},
                                   {"stops", report.stops},           {"trips", report.trips},
                                   {"failures", report.failures},     {"near", report.near},
                                   {"violations", report.violations}, {"told", report.told}};
  return all.dump(2) + "\n";
}

}  // namespace gyrax
