#include "effects.hpp"

#include <cassert>

namespace gyrax {

CoordinateId moved_by(const Effect& effect) noexcept {
  CoordinateId first = no<CoordinateId>;
  each_moved(effect, [&](CoordinateId c) { first = first == no<CoordinateId> ? c : first; });
  return first;
}

bool makes_ready(const Effect& effect) noexcept {
  return std::holds_alternative<effect::Ready>(effect) || std::holds_alternative<effect::ReadyOrStow>(effect);
}

bool enables(const Effect& effect) noexcept { return std::holds_alternative<effect::Enable>(effect); }

bool resets(const Effect& effect) noexcept {
  return std::holds_alternative<effect::Reset>(effect) || std::holds_alternative<effect::ReadyOrStow>(effect);
}

bool stops(const Effect& effect) noexcept {
  return std::holds_alternative<effect::Stop>(effect) || std::holds_alternative<effect::ReadyOrStow>(effect);
}

ZoneBits zones_of(const Effect& effect) noexcept {
  ZoneBits zones = 0;
  visit_held(effect, [&]<class E>(const E& e) {
    if constexpr (requires { e.zones; }) zones = e.zones;
  });
  return zones;
}

}  // namespace gyrax

namespace gyrax::detail {
namespace {

using Kind = Ask::Kind;

bool turned_on(SwitchTo to, bool is_on) noexcept { return to == SwitchTo::toggle ? !is_on : to != SwitchTo::off; }

/// Moves a number, unless that would make faster what somebody else is in charge of: `raises` says so of a coordinate.
/// `make` moves it, and says whether anything changed.
template <class Raises, class Make>
void change(NumberId number, Doing& d, Raises raises, Make make) noexcept {
  for (std::size_t c = 0; c < d.parts.in_charge.size(); ++c) {
    const CoordinateId coordinate = id_at<CoordinateId>(c);
    if (!raises(coordinate) || d.in_charge_of(coordinate)) continue;
    d.ask({.kind = Kind::raise, .coordinate = coordinate, .number = number});
    d.state.repeats = false;
    return;
  }
  if (make()) d.ask({.kind = Kind::number, .number = number});
}

void move(NumberId number, int by, Doing& d) noexcept {
  Numbers& numbers = d.parts.numbers;
  change(
      number, d, [&](CoordinateId c) { return numbers.move_raises(number, by, c); },
      [&] { return numbers.move(number, by); });
}

// What a press asks the engine for.
template <class E>
Ask asks(const E&, const Numbers&) noexcept {
  return {.kind = Kind::move};
}
Ask asks(const effect::Step& e, const Numbers& numbers) noexcept {
  return {.kind = Kind::step,
          .coordinate = e.coordinate,
          .distance = saturated_product(e.by, numbers.increment(e.coordinate))};
}
Ask asks(const effect::Handwheel& e, const Numbers& numbers) noexcept {
  return {.kind = Kind::wheel,
          .coordinate = e.coordinate,
          .distance = saturated_product(e.by, numbers.increment(e.coordinate)),
          .max_owed = e.max_owed};
}
Ask asks(const effect::Set& e, const Numbers&) noexcept {
  return {.kind = Kind::set, .to = e.to == SwitchTo::momentary ? SwitchTo::on : e.to, .target = e.target};
}
Ask asks(const effect::Action& e, const Numbers&) noexcept { return {.kind = Kind::action, .action = e.action}; }
Ask asks(const effect::Zero& e, const Numbers&) noexcept {
  return {.kind = Kind::zero,
          .is_machines = e.is_machines,
          .coordinate = id_at<CoordinateId>(index(e.axis)),
          .distance = e.here};
}
Ask asks(const effect::Ready& e, const Numbers&) noexcept { return {.kind = Kind::ready, .zones = e.zones}; }
Ask asks(const effect::Stow& e, const Numbers&) noexcept { return {.kind = Kind::stow, .zones = e.zones}; }
Ask asks(const effect::ReadyOrStow& e, const Numbers&) noexcept {
  return {.kind = Kind::ready_or_stow, .zones = e.zones};
}
Ask asks(const effect::Enable& e, const Numbers&) noexcept { return {.kind = Kind::enable, .zones = e.zones}; }
Ask asks(const effect::Stop& e, const Numbers&) noexcept { return {.kind = Kind::stop, .zones = e.zones}; }
Ask asks(const effect::Reset& e, const Numbers&) noexcept { return {.kind = Kind::reset, .zones = e.zones}; }

// What a press does. What moves steadily does nothing at once.
template <class E>
void on_press(const E& e, Doing& d) noexcept {
  if constexpr (!E::about.steady && !E::about.by_place) d.ask(asks(e, d.parts.numbers));
}
void on_press(const effect::Override& e, Doing& d) noexcept {
  Numbers& numbers = d.parts.numbers;
  if (!e.percent) return move(e.number, e.by, d);
  change(
      e.number, d, [&](CoordinateId c) { return numbers.pick_raises(e.number, *e.percent, 0, c); },
      [&] { return numbers.pick(e.number, *e.percent, 0); });
}
void on_press(const effect::Increment& e, Doing& d) noexcept {
  Numbers& numbers = d.parts.numbers;
  if (!e.value) return move(e.number, e.by, d);
  change(
      e.number, d, [&](CoordinateId c) { return numbers.pick_raises(e.number, 0, *e.value, c); },
      [&] { return numbers.pick(e.number, 0, *e.value); });
}
void on_press(const effect::Adjust& e, Doing& d) noexcept { move(e.number.value_or(d.parts.chosen), e.by, d); }
void on_press(const effect::Choose& e, Doing& d) noexcept {
  std::size_t at = 0;
  while (at < e.numbers.size() && e.numbers[at] != d.parts.chosen) ++at;
  d.parts.chosen = e.numbers[at + 1 < e.numbers.size() ? at + 1 : 0];
  d.ask({.kind = Kind::chosen, .number = d.parts.chosen});
}
void on_press(const effect::Layer& e, Doing& d) noexcept {
  Layers& layers = d.parts.layers;
  if (layers.latch(e.layer, turned_on(e.to, layers.latched(e.layer)))) d.ask({.kind = Kind::layer, .layer = e.layer});
}
void on_press(const effect::Reduced& e, Doing& d) noexcept {
  ReducedSpeed& reduced = d.parts.reduced;
  const bool before = reduced.on();
  if (e.to == SwitchTo::momentary) {
    reduced.press(d.binding);
    return d.tell_reduced(before);
  }
  // What was held by a control that is lost is on, too.
  const bool on = turned_on(e.to, reduced.latched() || reduced.any_lost());
  // What ends it makes faster, and is for who is in charge.
  if (!on && before && !d.in_charge_of_all()) return d.ask({.kind = Kind::raise});
  reduced.latch(on);
  d.tell_reduced(before);
}
void on_press(const effect::Enable& e, Doing& d) noexcept {
  Ask ask = asks(e, d.parts.numbers);
  if (d.state.squeezed) ask.kind = Kind::squeezed;
  d.state.engaged = !d.state.squeezed;
  d.ask(ask);
}

template <class E>
void on_release(const E&, Doing&) noexcept {}
void on_release(const effect::Set& e, Doing& d) noexcept {
  if (d.state.engaged && e.to == SwitchTo::momentary)
    d.ask({.kind = Kind::set, .to = SwitchTo::off, .target = e.target});
}
void on_release(const effect::Layer& e, Doing& d) noexcept {
  if (d.state.engaged && e.to == SwitchTo::momentary && d.parts.layers.latch(e.layer, false))
    d.ask({.kind = Kind::layer, .layer = e.layer});
}
void on_release(const effect::Reduced& e, Doing& d) noexcept {
  if (e.to != SwitchTo::momentary) return;
  const bool before = d.parts.reduced.on();
  d.parts.reduced.release(d.binding);
  d.tell_reduced(before);
}
void on_release(const effect::Enable& e, Doing& d) noexcept {
  d.state.squeezed = false;
  d.ask({.kind = Kind::release, .zones = e.zones});
}

template <class E>
void on_loss(const E& e, Doing& d) noexcept {
  if (d.state.engaged) on_release(e, d);
}
void on_loss(const effect::Set& e, Doing& d) noexcept {
  const std::size_t before = d.parts.asks.size();
  on_release(e, d);
  if (d.parts.asks.size() > before) d.parts.asks.back().lost = true;
}
void on_loss(const effect::Reduced& e, Doing& d) noexcept {
  if (e.to == SwitchTo::momentary) d.parts.reduced.lose(d.binding);
}

template <class E>
void on_turn(const E&, std::int32_t, Doing&) noexcept {}
void on_turn(const effect::Handwheel& e, std::int32_t counts, Doing& d) noexcept {
  Ask ask = asks(e, d.parts.numbers);
  ask.counts = counts;
  d.ask(ask);
}
void on_turn(const effect::Adjust& e, std::int32_t counts, Doing& d) noexcept {
  move(e.number.value_or(d.parts.chosen), e.by * counts, d);
}

double grown(const std::vector<JogStage>& stages, Span held) noexcept {
  double share = 1;
  for (const JogStage& stage : stages)
    if (held >= stage.after) share = stage.share;
  return share;
}

template <class E>
void on_request(const E&, const Steady&, std::span<Request>) noexcept {}
void on_request(const effect::Jog& e, const Steady& control, std::span<Request> out) noexcept {
  Request& request = out[index(e.coordinate)];
  request.by = control.slot;
  request.jog += e.share * (control.value == 0 ? grown(e.stages, control.held) : control.value);
  request.jogging = true;
  request.accel = e.accel < request.accel ? e.accel : request.accel;
}
void on_request(const effect::Follow& e, const Steady& control, std::span<Request> out) noexcept {
  Request& request = out[index(e.coordinate)];
  request.by = control.slot;
  request.following = true;
  // Both ends exactly.
  request.position = control.place == 1 ? e.high : e.low + control.place * (e.high - e.low);
  request.catch_up = e.catch_up;
  request.follower = control.binding;
}
void on_request(const effect::Go& e, const Steady& control, std::span<Request> out) noexcept {
  Request& request = out[index(e.coordinate)];
  request.by = control.slot;
  if (request.going) return;
  request.going = true;
  request.goal = e.goal;
  request.from_zero = e.from_zero;
}
void on_request(const effect::Pose& e, const Steady& control, std::span<Request> out) noexcept {
  for (const PosePlace& place : e.places)
    if (out[index(place.coordinate)].going) return;
  for (const PosePlace& place : e.places) {
    Request& request = out[index(place.coordinate)];
    request.going = request.posing = true;
    request.goal = place.goal;
    request.from_zero = place.from_zero;
    request.by = control.slot;
  }
}

}  // namespace

bool Doing::in_charge_of_all() const noexcept {
  HandsetBits all = ~HandsetBits{0};
  for (const HandsetBits one : parts.in_charge) all &= one;
  return has(all, handset);
}

void Doing::ask(Ask one) noexcept {
  one.binding = binding;
  one.by = slot;
  assert(parts.asks.size() < parts.asks.capacity());
  parts.asks.push_back(one);
}

void Doing::tell_reduced(bool before) noexcept {
  if (parts.reduced.on() != before) ask({.kind = Kind::reduced});
}

Ask asked(const Effect& effect, const Numbers& numbers) noexcept {
  Ask ask;
  visit_held(effect, [&](const auto& e) { ask = asks(e, numbers); });
  if (const CoordinateId moved = moved_by(effect); moved != no<CoordinateId>) ask.coordinate = moved;
  return ask;
}

void press(const Effect& effect, Doing& doing) noexcept {
  visit_held(effect, [&](const auto& e) { on_press(e, doing); });
}

void release(const Effect& effect, Doing& doing) noexcept {
  visit_held(effect, [&](const auto& e) { on_release(e, doing); });
}

void lose(const Effect& effect, Doing& doing) noexcept {
  visit_held(effect, [&](const auto& e) { on_loss(e, doing); });
}

void turn(const Effect& effect, std::int32_t counts, Doing& doing) noexcept {
  visit_held(effect, [&](const auto& e) { on_turn(e, counts, doing); });
}

void request(const Effect& effect, const Steady& control, std::span<Request> out) noexcept {
  visit_held(effect, [&](const auto& e) { on_request(e, control, out); });
}

}  // namespace gyrax::detail
