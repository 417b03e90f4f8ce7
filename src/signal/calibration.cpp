#include <gyrax/signal/calibration.hpp>

namespace gyrax {

std::optional<Calibration> Calibration::make(ControlKind kind, std::int32_t minimum, std::int32_t centre,
                                             std::int32_t maximum, bool reversed) noexcept {
  if (kind == ControlKind::key) return key();
  if (kind == ControlKind::counts) return counts(reversed);
  if (minimum < -max_raw || maximum > max_raw || minimum >= maximum) return std::nullopt;
  if (kind == ControlKind::centred && !(minimum < centre && centre < maximum)) return std::nullopt;
  Calibration made;
  made.kind_ = kind;
  made.minimum_ = minimum;
  made.centre_ = kind == ControlKind::centred ? centre : minimum;
  made.maximum_ = maximum;
  made.reversed_ = reversed;
  return made;
}

Calibration Calibration::counts(bool reversed) noexcept {
  Calibration made;
  made.kind_ = ControlKind::counts;
  made.reversed_ = reversed;
  return made;
}

double Calibration::normalise(std::int32_t raw) const noexcept {
  if (kind_ == ControlKind::counts) return 0;
  if (raw <= minimum_) raw = minimum_;
  if (raw >= maximum_) raw = maximum_;
  if (kind_ != ControlKind::centred) {
    // The far end's own difference, not 1 - value: both ends stay exact.
    const std::int32_t run = reversed_ ? maximum_ - raw : raw - minimum_;
    return static_cast<double>(run) / static_cast<double>(maximum_ - minimum_);
  }
  const std::int32_t off = raw - centre_;
  const std::int32_t side = off < 0 ? centre_ - minimum_ : maximum_ - centre_;
  const double value = static_cast<double>(off) / static_cast<double>(side);
  return reversed_ ? 0.0 - value : value;
}

std::int32_t Calibration::raw_of(double value) const noexcept {
  const auto nearest = [](double number) {
    return static_cast<std::int32_t>(number < 0 ? number - 0.5 : number + 0.5);
  };
  if (kind_ == ControlKind::counts) return nearest(reversed_ ? -value : value);
  if (kind_ == ControlKind::key) return value >= 0.5 ? 1 : 0;
  const double way = !reversed_ ? value : kind_ == ControlKind::centred ? -value : 1 - value;
  const double side = way < 0 ? centre_ - minimum_ : maximum_ - centre_;
  return nearest(centre_ + way * side);
}

bool Calibration::plausible(std::int32_t raw) const noexcept {
  if (kind_ == ControlKind::key) return raw == 0 || raw == 1;
  if (kind_ == ControlKind::counts) return raw >= -max_counts && raw <= max_counts;
  const std::int64_t slack = (std::int64_t{maximum_} - minimum_) / 4;
  return raw >= minimum_ - slack && raw <= maximum_ + slack;
}

}  // namespace gyrax
