// What each effect does at the moments of its control. An overload is all that an effect needs; what it has none of, it
// has no part in.
#pragma once

#include <gyrax/bind/bind.hpp>

namespace gyrax::detail {

/// What an effect has at hand when its control is pressed, let go, lost or turned.
struct Doing {
  BindParts& parts;
  BindingState& state;
  BindingId binding{};
  SlotId slot{};
  HandsetId handset{};

  bool in_charge_of(CoordinateId coordinate) const noexcept { return has(parts.in_charge[index(coordinate)], handset); }
  bool in_charge_of_all() const noexcept;
  void ask(Ask one) noexcept;
  /// Tells that reduced speed is another than `before`.
  void tell_reduced(bool before) noexcept;
};

/// What a press of `effect` asks the engine for; of what is done at once or moves axes steadily, that it is so.
Ask asked(const Effect& effect, const Numbers& numbers) noexcept;
/// At once, and once more each time it repeats.
void press(const Effect& effect, Doing& doing) noexcept;
/// Its control is let go. It was pressed where the state says so.
void release(const Effect& effect, Doing& doing) noexcept;
/// Nobody knows its control any more.
void lose(const Effect& effect, Doing& doing) noexcept;
void turn(const Effect& effect, std::int32_t counts, Doing& doing) noexcept;

/// A control that is deflected or held, for a binding that moves steadily.
struct Steady {
  BindingId binding{};
  SlotId slot{};
  double value = 0;  // its deflection; 0 where it is a key
  double place = 0;  // of what goes by place: where it is between its two ends, [0, 1]
  Span held{};       // how long it has been held
};
/// Adds what is asked for to the requests of its coordinates.
void request(const Effect& effect, const Steady& control, std::span<Request> out) noexcept;

}  // namespace gyrax::detail
