// Random rigs, random hands that mean harm, wires that spoil what hands say, links that fall silent or lie, a clock
// that stumbles: does anything ever move that no hand asks for? See docs/permit.md for what is held, by number.
//
//     bench_hostile [TICKS [SEED [RIG [LINES]]]]   a million and 1 by default; RIG: that one alone, with its story (the
//     last 400 lines);
//                                                  "first": stop at the first that is found. Exit code 1 where
//                                                  something did not hold
#include "driver.hpp"
#include "hands.hpp"
#include "plan.hpp"
#include "watch.hpp"

#include "../random.hpp"

#include <gyrax/engine/same.hpp>
#include <gyrax/files/problem.hpp>
#include <gyrax/rig/words.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <chrono>
#include <cmath>
#include <cstdlib>
#include <map>

namespace {

using namespace gyrax;
using namespace gyrax::bench;
using namespace std::chrono_literals;

Span span_of(double s) { return std::chrono::duration_cast<Span>(std::chrono::duration<double>(s)); }

/// One rig's life.
class World {
 public:
  World(std::uint64_t seed, std::uint64_t number, Tally& tally)
      : random_(seed * 0x9e3779b97f4a7c15ull + number),
        plan_(random_rig(random_)),
        rig_(read()),
        spoiled_(spoil()),
        hands_(plan_, random_, spoiled_),
        driver_(plan_, rig_, hands_, random_),
        watch_(plan_, rig_, hands_, tally),
        tally_(tally),
        engine_(rig_.setup),
        reference_(rig_.setup, Recompute::everything),
        out_(rig_.setup, 64),
        again_(rig_.setup, 64),
        positions_(rig_.axes.size()),
        heartbeat_(at(plan_.links)),
        silent_until_(at(plan_.links)) {
    ++tally_.rigs;
    for (std::size_t a = 0; a < positions_.size(); ++a) {
      const AxisLimits& limits = rig_.setup.axes[a].limits;
      positions_[a] = std::clamp(0.0, limits.low(), limits.high());
    }
    reports_.resize(at(plan_.links));
  }

  void live(std::uint64_t ticks) {
    for (std::size_t h = 0; h < plan_.handsets.size(); ++h)
      if (random_.chance(0.3)) driver_.tread(static_cast<int>(h), now_);
    for (std::size_t h = 0; h < plan_.handsets.size(); ++h)
      if (h == 0 || random_.chance(0.9)) hands_.plug(static_cast<int>(h), now_);
    for (std::uint64_t t = 0; t < ticks && watch_.violation().empty(); ++t) {
      if (random_.chance(0.0002)) silence();
      tick(next_span(), random_.chance(0.00005));
      driver_.act(now_, engine_);
    }
    if (watch_.violation().empty()) recover();
    if (watch_.violation().empty() && random_.chance(0.2))
      for (int i = 0; i < 200 && watch_.violation().empty(); ++i) {
        tick(span_of(plan_.period_s), false, true);
        driver_.act(now_, engine_);
      }
  }

  const Watch& watch() const { return watch_; }
  const RigPlan& plan() const { return plan_; }
  const std::vector<std::string>& story() const { return story_; }
  bool tells = false;

 private:
  Rig read() {
    try {
      return parse_rig(plan_.text, "random.toml");
    } catch (const std::exception& error) {
      fmt::print(stderr, "{}\n{}\n", plan_.text, error.what());
      std::exit(2);
    }
  }

  double spoil() {
    const double levels[] = {0, 0.0005, 0.005, 0.03};
    return levels[random_.whole(0, 3)];
  }

  Span next_span() {
    const double what = random_.in(0, 1);
    if (what < 0.00004) return span_of(random_.scale(0.02, 2));
    if (what < 0.00006) return -span_of(random_.scale(0.0001, 0.2));
    if (what < 0.01) return 0ns;
    if (what < 0.1) return span_of(random_.scale(0.0002, plan_.max_s * 0.99));
    return span_of(plan_.period_s);
  }

  void silence() {
    silent_until_[at(random_.whole(0, plan_.links - 1))] = now_ + std::chrono::milliseconds(random_.whole(1, 500));
  }

  /// Machines that are where they were told to be; from time to time one is not, or says what cannot be.
  void report(Watch::TickTruth& truth, bool honest) {
    links_.clear();
    for (int l = 0; l < plan_.links; ++l) {
      if (now_ < silent_until_[at(l)] && !honest) continue;
      auto& axes = reports_[at(l)];
      axes.clear();
      for (std::size_t a = 0; a < positions_.size(); ++a)
        if (index(rig_.setup.axes[a].wiring.link) == at(l))
          axes.push_back({rig_.setup.axes[a].position == PositionKind::measured, positions_[a], 0});
      LinkReport report{id_at<LinkId>(l), ++heartbeat_[at(l)], now_, now_, axes};
      const bool measures = !axes.empty() && axes[0].measured;
      if (!honest && random_.chance(0.00003)) {
        const int way = random_.whole(axes.empty() ? 1 : 0, measures ? 3 : 2);
        if (way < 3) truth.lying |= 1u << l;
        if (way == 3)
          for (std::size_t a = 0; a < positions_.size(); ++a)
            if (index(rig_.setup.axes[a].wiring.link) == at(l) && rig_.setup.axes[a].wiring.channel == 0)
              truth.lying_axis = static_cast<int>(a);
        switch (way) {
          case 0:
            axes[0].position = std::nan("");
            axes[0].measured = true;
            break;
          case 1: report.arrival = now_ + 1s; break;
          case 2: report.sequence -= 2; break;
          default: axes[0].position += 1e6;
        }
        links_.push_back(report);
        continue;
      }
      truth.heard |= 1u << l;
      links_.push_back(report);
    }
  }

  void tick(Span passed, bool leaps, bool end = false, bool honest = false) {
    now_ += passed;
    Watch::TickTruth truth{.now = now_, .dt_s = std::chrono::duration<double>(passed).count(), .end = end};
    report(truth, honest);
    const auto& readings = hands_.deliver(now_);
    engine_.tick({now_, readings, links_, end}, out_.view());
    reference_.tick({now_, readings, links_, end}, again_.view());
    bool alike = same(out_.view(), again_.view()) && same(engine_.requests(), reference_.requests());
    events_.clear();
    for (Event event, again; out_.events.read(event);) {
      events_.push_back(event);
      alike = alike && again_.events.read(again) && event == again;
    }
    Event more;
    if (!alike || again_.events.read(more))
      watch_.fail(Watch::Property::reference, "what has not changed was another when worked out anew");
    watch_.tick(truth, engine_, out_, events_);
    for (const Event& e : events_) {
      const bool of_move = e.kind == Event::Kind::move_refused && e.obstacle.what == Interlock::another_in_charge;
      if (e.kind == Event::Kind::refused || (of_move && plan_.hold_to_run)) refused_ = e.obstacle;
    }
    for (std::size_t a = 0; a < positions_.size(); ++a)
      if (out_.commands[a].mode != Mode::off)
        positions_[a] = out_.commands[a].p;
      else if (leaps && random_.chance(0.2))
        positions_[a] += random_.in(-30, 30);  // moved by hand
    if (tells) tell(readings, truth);
  }

  void tell(std::span<const Reading> readings, const Watch::TickTruth& truth) {
    for (const Reading& r : readings) {
      std::string name = "?";
      if (index(r.handset) < plan_.handsets.size()) {
        name = plan_.handsets[index(r.handset)].name + " " +
               (r.control == ControlId::presence ? "presence"
                : r.control == ControlId::gap    ? "gap"
                                                 : "?");
        for (const ControlPlan& c : plan_.handsets[index(r.handset)].controls)
          if (c.id == static_cast<std::uint16_t>(r.control))
            name = plan_.handsets[index(r.handset)].name + " " + c.name;
      }
      story_.push_back(fmt::format("{:.6f} reading {} = {} (number {}, age {} ms)", to_seconds(now_), name, r.raw,
                                   r.sequence, std::chrono::duration<double, std::milli>(now_ - r.event).count()));
    }
    for (const Event& e : events_) story_.push_back(fmt::format("{:.6f}   {}", to_seconds(now_), say(rig_, e)));
    if (truth.lying != 0) story_.push_back(fmt::format("{:.6f} a link lies", to_seconds(now_)));
    if (truth.dt_s < 0 || truth.dt_s > plan_.max_s)
      story_.push_back(fmt::format("{:.6f} tick after {} s", to_seconds(now_), truth.dt_s));
    std::string line;
    for (std::size_t a = 0; a < rig_.axes.size(); ++a)
      if (out_.commands[a].v != 0 || out_.commands[a].a != 0)
        line += fmt::format(" {} p {:.9g} v {:.6g} a {:.6g}", rig_.axes[a].name, out_.commands[a].p, out_.commands[a].v,
                            out_.commands[a].a);
    if (!line.empty()) story_.push_back(fmt::format("{:.6f}      {}", to_seconds(now_), line));
  }

  /// Everything is put right, and somebody patient does what the words say: in the end it has to be live, and move.
  void recover() {
    hands_.be_honest();
    const int handset = 0;
    if (plan_.hold_to_run && driver_.one_that(handset, is_mover) < 0) return;  // it has nothing to hold
    for (std::size_t h = 0; h < plan_.handsets.size(); ++h) {
      hands_.plug(static_cast<int>(h), now_);
      driver_.release(static_cast<int>(h), now_);
    }
    // Time that went backwards has to be made up for, or nothing is fresh.
    for (int i = 0; i < 40; ++i) tick(20ms, false, false, true);
    int jog = -1;
    for (std::size_t b = 0; b < plan_.bindings.size(); ++b)
      if (plan_.bindings[b].effect == BindingPlan::Effect::jog && plan_.bindings[b].handset == handset &&
          plan_.handsets[0].controls[at(plan_.bindings[b].control)].kind != ControlPlan::Kind::key)
        jog = static_cast<int>(b);
    std::size_t axis = 0;
    const int plan_axis = jog >= 0 ? plan_.bindings[at(jog)].axes.front() : 0;
    while (rig_.axes[axis].name != plan_.axes[at(plan_axis)].name) ++axis;
    const auto zone = rig_.setup.axes[axis].zone;
    // Each control may have to be moved once, each handset to be asked.
    std::size_t tries = 20;
    for (const HandsetPlan& one : plan_.handsets) tries += 3 * one.controls.size();
    std::string last;
    for (; tries > 0 && watch_.violation().empty(); --tries) {
      if (engine_.permit(zone).live()) {
        ++tally_.recoveries;
        return;
      }
      last = say(rig_, out_.why[axis].before.what != Interlock::none ? out_.why[axis].before : out_.why[axis].blocked,
                 out_.why[axis].cause);
      AxisStatus why = out_.why[axis];
      if (refused_.what != Interlock::none) why.before = refused_;
      refused_ = {};
      driver_.obey(why, engine_.permit(zone).state(), handset, now_);
      // What is held to run may lapse at once, for want of a switch.
      const auto goes_on = [&] { return !plan_.hold_to_run || !engine_.permit(zone).live(); };
      for (int i = 0; (i < 150 || driver_.playing()) && watch_.violation().empty() && goes_on(); ++i) {
        tick(5ms, false, false, true);
        driver_.play(now_);
      }
    }
    if (!watch_.violation().empty()) return;
    ++tally_.unrecovered;
    watch_.fail(Watch::Property::reason, "what the words say has been done, and it is not live: " + last);
  }

  Random random_;
  RigPlan plan_;
  Rig rig_;
  double spoiled_;
  Hands hands_;
  Driver driver_;
  Watch watch_;
  Tally& tally_;
  Engine engine_, reference_;
  TickBuffers out_, again_;
  std::vector<double> positions_;
  std::vector<std::uint32_t> heartbeat_;
  std::vector<Time> silent_until_;
  std::vector<std::vector<AxisReport>> reports_;
  std::vector<LinkReport> links_;
  std::vector<Event> events_;
  Obstacle refused_;  // what was said last of a word to the permit, or of who is in charge
  std::vector<std::string> story_;
  Time now_{1s};
};

void print(const Tally& t, std::uint64_t violations) {
  fmt::print("{} rigs, {} ticks: {} live, {} with an axis moving; {} times live, {} stops, {} trips\n", t.rigs, t.ticks,
             t.live_ticks, t.moving_ticks, t.lives, t.stops, t.trips);
  fmt::print(
      "{} readings after a loss, {} refused; {} ticks on the word of a release that was lost; {} ticks at the very end "
      "of a stop\n",
      t.lost_readings, t.refused_readings, t.believed_ticks, t.near_deadline);
  fmt::print(
      "{} steps, {} dropped; {} switches held to be off as their zone stopped; {} stops because nothing changed on a "
      "handset; {} times made live by doing what the words say, {} not\n",
      t.steps, t.dropped, t.switched_off, t.steady_stops, t.recoveries, t.unrecovered);
  fmt::print("{} violations\n", violations);
}

}  // namespace

int main(int argc, char** argv) {
  const std::uint64_t wanted = argc > 1 ? std::strtoull(argv[1], nullptr, 10) : 1'000'000;
  const std::uint64_t seed = argc > 2 ? std::strtoull(argv[2], nullptr, 10) : 1;
  Tally tally;
  const bool first = argc > 3 && std::string(argv[3]) == "first";
  if (argc > 3 && !first) {
    World world(seed, std::strtoull(argv[3], nullptr, 10), tally);
    world.tells = true;
    world.live(10'000);
    fmt::print("{}\n", world.plan().text);
    const auto& story = world.story();
    const std::size_t last = argc > 4 ? std::strtoull(argv[4], nullptr, 10) : 400;
    for (std::size_t i = story.size() > last ? story.size() - last : 0; i < story.size(); ++i)
      fmt::print("{}\n", story[i]);
    fmt::print("{}\n", world.watch().violation());
    return world.watch().violation().empty() ? 0 : 1;
  }
  std::uint64_t violations = 0;
  std::map<std::string, int> kinds;
  for (std::uint64_t number = 0; tally.ticks < wanted; ++number) {
    World world(seed, number, tally);
    world.live(10'000);
    if (world.watch().violation().empty()) continue;
    ++violations;
    if (++kinds[Watch::name_of(world.watch().violated())] <= 5)
      fmt::print("seed {} rig {}, after {} ticks: {}\n", seed, number, tally.ticks, world.watch().violation());
    if (violations >= (first ? 1u : 200u)) break;
  }
  print(tally, violations);
  return violations == 0 ? 0 : 1;
}
