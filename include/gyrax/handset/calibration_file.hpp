/// What was measured of a device: a text file of its own, that a rig names (docs/formats.md).
///
/// In: the text. Out: the device that it was measured on, and each control's ends, rest and habits. Never: half a file;
/// writing goes to a new one that takes the old one's place when it is whole.
///
///     gyrax::DeviceCalibration c = gyrax::load_calibration("pad.toml");
///     gyrax::save_calibration("pad.toml", c);
#pragma once

#include <gyrax/files/problem.hpp>

#include <cstdint>
#include <optional>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

namespace gyrax {

/// How reports come. steadily: also when nothing changes.
enum class ReportHabit : std::uint8_t { unknown, on_change, steadily };
/// "on change", as a rig and a calibration write it.
const char* name_of(ReportHabit habit) noexcept;

/// One control as it was measured. Raw numbers are the device's own.
struct MeasuredControl {
  std::string name;                                   ///< "stick.left.x"
  std::pair<std::uint16_t, std::uint16_t> code;       ///< the kernel's type and code
  bool has_ends = false;                              ///< a stick, a trigger …; the rest counts only then
  std::int32_t minimum = 0, centre = 0, maximum = 0;  ///< of what rests at one end, centre is that end
  bool reversed = false;
  double dead_zone = 0, hysteresis = 0;  ///< proposed, shares of full deflection, [0, 0.9]
  std::int32_t noise = 0;                ///< greatest difference of two readings at rest
  bool trembles = false;  ///< that is more than one count and more than the kernel leaves out: it never stands still
  std::optional<std::int32_t> rests_from_below,
      rests_from_above;            ///< where it came to rest after coming back from either side
  double debounce_s = 0;           ///< of a key, proposed
  std::vector<std::string> wrong;  ///< what is wrong with it, in sentences
};

/// The dead zone of a stick of these two halves: both may be off their rest at once, and the zone is round, so it is
/// the hypotenuse of what each needs, with the greater hysteresis on top. Share of full deflection in steps of half a
/// percent, as they are written; [0, 0.9].
double round_dead_zone(const MeasuredControl& x, const MeasuredControl& y);

struct DeviceCalibration {
  std::string id, name, unique;  ///< "1209:0001"; as the kernel tells them
  ReportHabit habit = ReportHabit::unknown;
  double rate_hz = 0;        ///< of reports while something moves; 0: too few to tell
  double max_silence_s = 0;  ///< while something was held off its rest
  std::vector<MeasuredControl> controls;
};

inline constexpr int calibration_version = 1;
/// Greatest calibration file, bytes. Reading takes at most 160 bytes of memory for each of them, and 4 MiB.
inline constexpr std::size_t max_calibration = 1u << 20;

class CalibrationError : public FileError {
  using FileError::FileError;
};

/// Errors: CalibrationError with everything that is wrong.
DeviceCalibration parse_calibration(std::string_view text, const std::string& file);
DeviceCalibration load_calibration(const std::string& path);
std::string write_calibration(const DeviceCalibration& calibration);
/// Error: the code; the old file, if there was one, is as it was.
std::error_code save_calibration(const std::string& path, const DeviceCalibration& calibration);

}  // namespace gyrax
