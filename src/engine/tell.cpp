#include "tell.hpp"

#include "zones.hpp"

namespace gyrax::detail {

void tell_number(EngineParts& e, NumberId id) noexcept {
  const Numbers& numbers = e.bind.numbers();
  const NotchSetup::Number& number = numbers.moved()[index(id)];
  if (number.override != no<OverrideId>) {
    const Nano percent = to_nano(numbers.percent(number.override));
    return e.tell({.kind = Event::Kind::override, .which = id, .number = percent / 1'000'000});
  }
  const CoordinateId first = number.coordinates.front();
  e.tell({.kind = Event::Kind::increment,
          .axis = id_at<AxisId>(index(first)),
          .which = id,
          .number = numbers.increment(first)});
}

bool concerns(const EngineParts& e, OverrideId override, ZoneId zone) noexcept {
  if (override == no<OverrideId>) return false;
  for (const AxisId axis : e.zone(zone).setup.axes)
    if (e.bind.numbers().override_of(id_at<CoordinateId>(index(axis))) == override) return true;
  return false;
}

void tell_numbers(EngineParts& e, ZoneId zone) noexcept {
  const Numbers& numbers = e.bind.numbers();
  for (std::size_t n = 0; n < numbers.moved().size(); ++n) {
    const OverrideId override = numbers.moved()[n].override;
    if (concerns(e, override, zone) && (numbers.can_change(override) || numbers.percent(override) < 100))
      tell_number(e, id_at<NumberId>(n));
  }
  for (const AxisId axis : e.zone(zone).setup.axes) {
    const CoordinateId coordinate = id_at<CoordinateId>(index(axis));
    const NumberId own = numbers.own_of(coordinate);
    if (own != no<NumberId> && numbers.can_change(coordinate)) tell_number(e, own);
  }
  if (e.bind.reduced()) e.tell({.kind = Event::Kind::reduced, .number = 1});
  for (const AxisId axis : e.zone(zone).setup.axes)
    if (!e.axis(axis).is_homed) tell_homed(e, axis);
}

void tell_homed(EngineParts& e, AxisId id) noexcept {
  const Axis& axis = e.axis(id);
  e.tell({.kind = Event::Kind::homed,
          .zone = axis.zone,
          .obstacle = {.input = axis.homed},
          .axis = id,
          .number = axis.is_homed ? 1 : 0});
}

void tell_no_move(EngineParts& e, AxisId axis, SlotId by, const Obstacle& why) noexcept {
  tell(e, e.axis(axis).zone, {.kind = Event::Kind::move_refused, .obstacle = why, .axis = axis, .by = by});
}

void tell_dropped(EngineParts& e) noexcept {
  for (std::size_t a = 0; a < e.axes.size(); ++a) {
    const AxisId axis = id_at<AxisId>(a);
    const Nano dropped = e.motion.take_dropped(axis);
    if (dropped != 0) e.tell({.kind = Event::Kind::dropped, .zone = e.axes[a].zone, .axis = axis, .number = dropped});
  }
}

}  // namespace gyrax::detail
