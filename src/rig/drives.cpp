#include "drives.hpp"

#include <fmt/format.h>

#include <algorithm>

namespace gyrax {
namespace {

void read_servo(Table& axis, AxisSetup& setup) {
  Table servo = *axis.table("servo");
  const auto ends = servo.range("ends", {-max_position, max_position, false, "unit"});
  if (!servo.has("ends")) servo.missing("ends", "the positions [low, high] at the servo's two ends");
  const auto pulses = servo.range("pulse_us", {ServoMap::min_us, ServoMap::max_us, false, "µs", true});
  if (!servo.has("pulse_us")) servo.missing("pulse_us", "the pulses [low, high] at the servo's two ends, in µs");
  const auto trim = servo.whole("trim_us", {-1000, 1000, false, "µs"}).value_or(0);
  const bool reversed = servo.flag("reversed").value_or(false);
  servo.refuse_the_rest();
  if (!ends || !pulses) return;
  const auto made = ServoMap::make(ends->first, ends->second, static_cast<int>(pulses->first),
                                   static_cast<int>(pulses->second), reversed, static_cast<int>(trim));
  const AxisLimits& limits = setup.limits;
  if (made) setup.drive = *made;
  if (made && made->reaches(limits.low()) && made->reaches(limits.high())) return;
  const auto at = [&](double position) {
    const double share = (position - ends->first) / (ends->second - ends->first);
    const double run = (reversed ? 1 - share : share) * (pulses->second - pulses->first);
    return pulses->first + run + static_cast<double>(trim);
  };
  servo.problem(Code::servo_reach, "",
                fmt::format("the travel [{:g}, {:g}] needs pulses of {:.0f} and {:.0f} µs", limits.low(), limits.high(),
                            at(limits.low()), at(limits.high())),
                fmt::format("they must lie within [{:.0f}, {:.0f}] µs: less travel, less trim or other ends",
                            pulses->first, pulses->second));
}
std::string servo_words(const AxisSetup& setup) {
  const ServoMap& servo = std::get<ServoMap>(setup.drive);
  return fmt::format("pulse {} … {} µs over the travel", servo.pulse_us(setup.limits.low()),
                     servo.pulse_us(setup.limits.high()));
}

/// A motor runs at a share of its power: no place, no travel.
void read_motor(Table& axis, AxisSetup& setup) {
  MotorMap map;
  if (auto motor = axis.table("motor")) {
    map.dead_band = motor->number("dead_band", {0, 90, false, "%"}, 0) / 100;
    map.reversed = motor->flag("reversed").value_or(false);
    setup.rest = from_seconds(motor->number("rest_ms", {0, 60'000, false, "ms"}, 0) / 1e3);
    motor->refuse_the_rest();
  }
  setup.drive = map;
}
std::string motor_words(const AxisSetup& setup) {
  return fmt::format("of full power; dead band of {:g} % skipped; rests {:g} ms before it turns round",
                     std::get<MotorMap>(setup.drive).dead_band * 100, to_seconds(setup.rest) * 1e3);
}

}  // namespace

const std::vector<DriveRow>& drive_rows() {
  static const std::vector<DriveRow> rows{{nullptr, nullptr, false, nullptr, nullptr},
                                          {"servo", nullptr, true, read_servo, servo_words},
                                          {"motor", "%", true, read_motor, motor_words}};
  static_assert(std::variant_size_v<Drive> == 3, "a row for each kind of drive");
  return rows;
}

void read_drive(Table& axis, const std::string& unit, AxisSetup& setup) {
  const auto has_unit = [&](const DriveRow& row) { return row.unit != nullptr && unit == row.unit; };
  const auto is_named = [&](const DriveRow& row) {
    return row.key != nullptr && row.unit == nullptr && axis.has(row.key);
  };
  const std::vector<DriveRow>& rows = drive_rows();
  auto row = std::find_if(rows.begin(), rows.end(), has_unit);
  if (row == rows.end()) row = std::find_if(rows.begin(), rows.end(), is_named);
  if (row != rows.end()) row->read(axis, setup);
}

}  // namespace gyrax
