/// From a device's raw number to -1..1 or 0..1.
///
/// In: the raw reading and where that control has its ends and centre. Out: a value whose ends are exact.
/// Never: smoothing, memory, or a guess for a control that has not reported.
///
///     auto pad = Calibration::make(ControlKind::centred, -32768, 0, 32767, false);
///     pad->normalise(32767) == 1.0
#pragma once

#include <cstdint>
#include <optional>

namespace gyrax {

enum class ControlKind : std::uint8_t {
  key,        ///< pressed or not
  centred,    ///< -1..1: a stick's axis
  one_sided,  ///< 0..1: a trigger, a throttle
  counts,     ///< no place of its own, only how far it was turned since: a dial, a handwheel
};

/// Where a control has its ends. Always valid: only make() builds one.
class Calibration {
 public:
  /// Greatest magnitude of a raw number, so that differences fit 32 bits.
  static constexpr std::int32_t max_raw = 1'000'000'000;

  /// centred needs minimum < centre < maximum; one_sided needs minimum < maximum and takes no centre; key is 0 or 1;
  /// counts have neither. `reversed` swaps the ends. All within ±max_raw. Error: nullopt.
  static std::optional<Calibration> make(ControlKind kind, std::int32_t minimum, std::int32_t centre,
                                         std::int32_t maximum, bool reversed) noexcept;
  /// A key: raw 0 or 1.
  static Calibration key() noexcept { return Calibration{}; }
  /// A dial: counts as they come, turned round where `reversed`.
  static Calibration counts(bool reversed) noexcept;
  /// The most counts that one reading of a dial can bring: a wheel of 400 counts a turn at ten turns a second, kept
  /// back for a second. More is no hand's.
  static constexpr std::int32_t max_counts = 4000;

  /// centred: [-1, 1], each side scaled by its own end; one_sided: [0, 1]; key: 0 or 1.
  /// Raw numbers beyond the ends give the ends. counts: 0, a dial is always at its neutral.
  double normalise(std::int32_t raw) const noexcept;

  /// The raw number nearest to a value: the inverse of normalise, and beyond the ends on the same line (`value` within
  /// ±2). Of counts: the value itself, as so many.
  std::int32_t raw_of(double value) const noexcept;

  /// Whether a raw number can come from this control: keys 0 or 1, others no further beyond an end than a quarter of
  /// the range. What fails here is a fault of the device or the wire, not a deflection.
  bool plausible(std::int32_t raw) const noexcept;

  ControlKind kind() const noexcept { return kind_; }
  std::int32_t minimum() const noexcept { return minimum_; }
  std::int32_t centre() const noexcept { return centre_; }
  std::int32_t maximum() const noexcept { return maximum_; }
  bool reversed() const noexcept { return reversed_; }

 private:
  Calibration() = default;
  ControlKind kind_ = ControlKind::key;
  bool reversed_ = false;
  std::int32_t minimum_ = 0, centre_ = 0, maximum_ = 1;
};

}  // namespace gyrax
