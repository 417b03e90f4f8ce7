#include "hands.hpp"

#include "../random.hpp"

#include <algorithm>
#include <chrono>

namespace gyrax::bench {

using namespace std::chrono_literals;
using Kind = ControlPlan::Kind;

namespace {

bool ahead(std::uint32_t a, std::uint32_t b) { return static_cast<std::int32_t>(a - b) > 0; }

}  // namespace

Hands::Hands(const RigPlan& plan, Random& random, double spoiled)
    : plan_(plan), random_(random), spoiled_(spoiled), handsets_(plan.handsets.size()) {
  for (std::size_t h = 0; h < handsets_.size(); ++h) {
    handsets_[h].controls.resize(plan.handsets[h].controls.size());
    handsets_[h].number = handsets_[h].delivered = 0xfffff000u + static_cast<std::uint32_t>(h);  // wraps soon
  }
}

bool Hands::pressed(int h, int c) const {
  const int raw = control(h, c).raw;
  return plan_.handsets[at(h)].controls[at(c)].kind == Kind::key ? raw != 0 : std::abs(raw) >= press_raw;
}

bool Hands::deflected(int h, int c) const {
  const int raw = control(h, c).raw;
  return plan_.handsets[at(h)].controls[at(c)].kind == Kind::key ? raw != 0 : std::abs(raw) > dead_raw;
}

bool Hands::believed_pressed(int h, int c, Time now) const {
  const Handset& handset = handsets_[at(h)];
  const Control& one = handset.controls[at(c)];
  if (!handset.told_plugged) return false;
  const auto bounces =
      std::chrono::duration_cast<Span>(std::chrono::duration<double>(plan_.handsets[at(h)].controls[at(c)].debounce_s));
  // A debounced key takes its time to be let go, from when it changed last.
  const bool bouncing = bounces > 0s && now - one.released_at <= bounces + 25ms;
  return pressed(h, c) || ahead(one.released_number, handset.delivered) || bouncing;
}

bool Hands::believed_deflected(int h, int c) const {
  const Handset& handset = handsets_[at(h)];
  return handset.told_plugged && (deflected(h, c) || ahead(handset.controls[at(c)].neutral_number, handset.delivered));
}

void Hands::say(int h, ControlId control, int raw, Time now) {
  Handset& handset = handsets_[at(h)];
  Reading reading{id_at<HandsetId>(h), control, ++handset.number, now, now, raw};
  handset.last_said = now;
  const bool presence = control == ControlId::presence;
  if (!presence && now < handset.mute_until) return;  // lost: its number is missing
  Time due = now;
  if (!presence && raw != 0 && random_.chance(std::min(0.3, 10 * spoiled_)) && stops(h, control))
    due = now + 150ms;  // and a stop comes late
  if (!presence && random_.chance(spoiled_)) {
    switch (random_.whole(0, 6)) {
      case 0: return;  // lost
      case 1: due = now + std::chrono::milliseconds(random_.whole(1, 300)); break;
      case 2: waiting_.push_back({reading, due}); break;  // twice
      case 3:
        due = now + std::chrono::milliseconds(random_.whole(1, 8));  // others overtake it
        break;
      case 4: reading.raw = random_.chance(0.5) ? 2'000'000'000 : -2'000'000'000; break;
      case 5: reading.handset = id_at<HandsetId>(random_.whole(16, 65535)); break;
      default: reading.control = id_at<ControlId>(random_.whole(256, 0xffef)); break;
    }
  }
  waiting_.push_back({reading, due});
}

/// Whether a control is bound to stop.
bool Hands::stops(int h, ControlId control) const {
  for (const BindingPlan& b : plan_.bindings)
    if (b.effect == BindingPlan::Effect::stop && b.handset == h &&
        plan_.handsets[at(h)].controls[at(b.control)].id == static_cast<std::uint16_t>(control))
      return true;
  return false;
}

void Hands::put(int h, int c, int raw, Time now) {
  Handset& handset = handsets_[at(h)];
  Control& one = handset.controls[at(c)];
  if (one.raw == raw) return;
  const bool was_pressed = pressed(h, c), was_deflected = deflected(h, c);
  one.raw = raw;
  // What matters most is lost most: a reading just before one that lets go.
  if (was_deflected && !deflected(h, c) && random_.chance(std::min(0.3, 10 * spoiled_))) ++handset.number;
  const std::uint32_t number = handset.number + 1;
  if (was_deflected && !deflected(h, c)) one.neutral_number = number;
  const int size = std::abs(raw);
  if (was_pressed && !pressed(h, c)) {
    one.released_number = number;
    one.released_at = now;
  } else if (!pressed(h, c) && size < release_raw) {
    one.released_number = number;
  }
  if (!was_pressed && pressed(h, c)) one.pressed_number = number;
  if (!was_deflected && deflected(h, c)) one.deflected_number = number;
  if (handset.plugged) say(h, ControlId{plan_.handsets[at(h)].controls[at(c)].id}, raw, now);
}

void Hands::turn(int h, int c, int counts, Time now) {
  if (handsets_[at(h)].plugged) say(h, ControlId{plan_.handsets[at(h)].controls[at(c)].id}, counts, now);
}

void Hands::lose(int h, Time now) {
  if (handsets_[at(h)].plugged) say(h, ControlId::gap, random_.whole(0, 3), now);
}

void Hands::plug(int h, Time now) {
  Handset& handset = handsets_[at(h)];
  if (handset.plugged) return;
  handset.plugged = true;
  if (random_.chance(0.3)) handset.number += static_cast<std::uint32_t>(random_.whole(0, 1000));
  say(h, ControlId::presence, 1, now);
  // The shell tells what it can know.
  for (std::size_t c = 0; c < handset.controls.size(); ++c) {
    Control& one = handset.controls[c];
    const ControlPlan& plan = plan_.handsets[at(h)].controls[c];
    if (plan.kind == Kind::dial) continue;
    one.neutral_number = one.released_number = handset.number;
    say(h, ControlId{plan.id}, one.raw, now);
  }
}

void Hands::unplug(int h, Time now) {
  Handset& handset = handsets_[at(h)];
  if (!handset.plugged) return;
  handset.plugged = false;
  say(h, ControlId::presence, 0, now);
}

void Hands::hand_over(const Reading& reading, Time now) {
  Delivered told;
  if (index(reading.handset) >= handsets_.size()) {
    readings_.push_back(reading);
    return;
  }
  told.handset = static_cast<int>(index(reading.handset));
  Handset& handset = handsets_[at(told.handset)];
  const auto& controls = plan_.handsets[at(told.handset)].controls;
  for (std::size_t c = 0; c < controls.size(); ++c)
    if (controls[c].id == static_cast<std::uint16_t>(reading.control)) told.control = static_cast<int>(c);
  told.raw = reading.raw;
  told.number = reading.sequence;
  told.presence = reading.control == ControlId::presence;
  const bool starts = told.presence && reading.raw != 0 && !handset.told_plugged;
  told.refused = reading.event < handset.last_event || (!told.presence && now - reading.event > 100ms);
  told.lost_before = !starts && reading.sequence != handset.delivered + 1;
  if (reading.control == ControlId::gap) told.lost_before = true;
  const bool wild =
      told.control >= 0 && controls[at(told.control)].used && std::abs(static_cast<long>(reading.raw)) > 1'000'000;
  const bool nothing = index(reading.control) >= max_controls && !told.presence && reading.control != ControlId::gap;
  told.refused = told.refused || wild || nothing;
  if (told.control >= 0) told.was_known = handset.controls[at(told.control)].known;
  if (told.lost_before || told.presence || (told.refused && told.control < 0))
    for (Control& one : handset.controls) one.known = false;
  if (told.refused && told.control >= 0) handset.controls[at(told.control)].known = false;
  if (told.control >= 0 && !told.refused && handset.told_plugged && !ahead(handset.delivered + 1, reading.sequence))
    handset.controls[at(told.control)].known = true;
  if (told.presence) handset.told_plugged = reading.raw != 0;
  told.plugged = handset.told_plugged;
  if (!ahead(handset.delivered, reading.sequence) || starts) handset.delivered = reading.sequence;
  if (reading.event > handset.last_event) handset.last_event = reading.event;
  readings_.push_back(reading);
  readings_.back().arrival = now;
  delivered_.push_back(told);
}

const std::vector<Reading>& Hands::deliver(Time now) {
  readings_.clear();
  delivered_.clear();
  for (std::size_t h = 0; h < handsets_.size(); ++h) {
    Handset& handset = handsets_[h];
    // What reports steadily says how things are.
    if (!plan_.handsets[h].steadily || !handset.plugged || now - handset.last_said < 30ms || now < handset.mute_until)
      continue;
    for (;;) {
      const auto c = at(random_.whole(0, static_cast<int>(handset.controls.size()) - 1));
      if (plan_.handsets[h].controls[c].kind == Kind::dial) continue;
      say(static_cast<int>(h), ControlId{plan_.handsets[h].controls[c].id}, handset.controls[c].raw, now);
      break;
    }
  }
  for (const Waiting& one : waiting_)
    if (one.due <= now) hand_over(one.reading, now);
  std::erase_if(waiting_, [&](const Waiting& one) { return one.due <= now; });
  return readings_;
}

}  // namespace gyrax::bench
