/// Lists of numbers with a finger on one of each: overrides, increments.
///
///     Notches<double> override({5, 25, 100}, 2);
///     override.move(-1);                       // 25
#pragma once

#include <gyrax/base/ids.hpp>
#include <gyrax/base/nano.hpp>

#include <cstddef>
#include <span>
#include <vector>

namespace gyrax {

template <class Value>
class Notches {
 public:
  Notches() = default;
  /// `start` < values.size(), unless there are none.
  Notches(std::vector<Value> values, std::size_t start) : values_(std::move(values)), at_(start) {}

  /// Moves the finger up or down the list and stops at its ends. Returns whether it moved.
  bool move(int by) noexcept {
    const std::size_t before = at_;
    at_ = place_after(by);
    return at_ != before;
  }
  /// Puts the finger on a value, if it is in the list. Returns whether it moved.
  bool pick(const Value& value) noexcept {
    for (std::size_t i = 0; i < values_.size(); ++i) {
      if (values_[i] != value) continue;
      const bool moved = i != at_;
      at_ = i;
      return moved;
    }
    return false;
  }
  bool empty() const noexcept { return values_.empty(); }
  /// Whether move(by) would lead to more than what is in force.
  bool rises(int by) const noexcept { return !empty() && values_[place_after(by)] > values_[at_]; }
  const Value& value() const noexcept { return values_[at_]; }
  std::size_t size() const noexcept { return values_.size(); }

 private:
  std::size_t place_after(int by) const noexcept {
    const auto last = static_cast<std::int64_t>(values_.size()) - 1, place = static_cast<std::int64_t>(at_) + by;
    return static_cast<std::size_t>(place > last ? (last > 0 ? last : 0) : place > 0 ? place : 0);
  }
  std::vector<Value> values_;
  std::size_t at_ = 0;
};

/// The numbers that bindings pick from.
struct NotchSetup {
  struct Override {
    std::vector<double> values{100};  ///< percent, in (0, 100]
    std::size_t start = 0;
  };
  std::vector<Override> overrides{Override{}};  ///< the first is that of every coordinate without one of its own
  std::vector<OverrideId> override_of;          ///< by CoordinateId; where it is shorter: the first
  struct Increments {
    std::vector<Nano> values;  ///< may be empty: the axis takes no steps
    std::size_t start = 0;
  };
  std::vector<Increments> increments;  ///< by CoordinateId

  /// What a binding moves: one override, or the increments of some coordinates, together.
  struct Number {
    OverrideId override = no<OverrideId>;   ///< none: increments
    std::vector<CoordinateId> coordinates;  ///< of increments; each has some
  };
  std::vector<Number> numbers;

  /// Reduced speed, for setting up: shares of speed and acceleration while it is on.
  struct Reduced {
    double speed = 1, accel = 1;  ///< (0, 1]
    bool starts_on = false;
  } reduced;
};

/// All numbers in force.
class Numbers {
 public:
  explicit Numbers(const NotchSetup& setup);

  /// The override of a coordinate, (0, 1].
  double speed_override(CoordinateId coordinate) const noexcept {
    return overrides_[index(override_of(coordinate))].value() / 100;
  }
  OverrideId override_of(CoordinateId coordinate) const noexcept {
    return index(coordinate) < override_of_.size() ? override_of_[index(coordinate)] : OverrideId{0};
  }
  /// The increment of a coordinate; 0 where it takes no steps.
  Nano increment(CoordinateId coordinate) const noexcept {
    const auto& notches = increments_[index(coordinate)];
    return notches.empty() ? 0 : notches.value();
  }
  /// In percent, to the last digit that is in the list.
  double percent(OverrideId override) const noexcept { return overrides_[index(override)].value(); }
  /// Whether there is another notch to go to.
  bool can_change(OverrideId override) const noexcept { return overrides_[index(override)].size() > 1; }
  bool can_change(CoordinateId coordinate) const noexcept { return increments_[index(coordinate)].size() > 1; }
  /// What bindings move, by NumberId.
  std::span<const NotchSetup::Number> moved() const noexcept { return numbers_; }

  /// The number that is the increments of this coordinate and of no other; none where there is none.
  NumberId own_of(CoordinateId coordinate) const noexcept;

  // Both return whether anything changed. pick: percent of an override, nano-units of increments.
  bool move(NumberId number, int by) noexcept;
  bool pick(NumberId number, double percent, Nano increment) noexcept;
  // Whether one of these would make a coordinate faster, or its steps larger.
  bool move_raises(NumberId number, int by, CoordinateId coordinate) const noexcept;
  bool pick_raises(NumberId number, double percent, Nano increment, CoordinateId coordinate) const noexcept;

 private:
  bool moves(NumberId number, CoordinateId coordinate) const noexcept;
  std::vector<NotchSetup::Number> numbers_;
  std::vector<Notches<double>> overrides_;
  std::vector<OverrideId> override_of_;
  std::vector<Notches<Nano>> increments_;
};

}  // namespace gyrax
