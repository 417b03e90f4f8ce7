// Any bytes as a calibration, and as a track to measure: what is read or measured is written and read back the same.
#include "within.hpp"

#include <gyrax/handset/calibration_file.hpp>
#include <gyrax/handset/measure.hpp>

#include <cstdint>

namespace {

void hold(const gyrax::DeviceCalibration& calibration) {
  const std::string text = gyrax::write_calibration(calibration);
  const std::string again = gyrax::write_calibration(gyrax::parse_calibration(text, "again"));
  if (again != text) __builtin_trap();
}

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  const std::string_view text{reinterpret_cast<const char*>(data), size};
  try {
    hold(gyrax::test::within(gyrax::test::toml_memory.of(size),
                             [&] { return gyrax::parse_calibration(text, "fuzz.toml"); }));
  } catch (const gyrax::CalibrationError& error) {
    if (error.problems().empty()) __builtin_trap();
  }
  try {
    hold(gyrax::measure(gyrax::parse_track(text, "fuzz.evemu"), 0));
  } catch (const gyrax::SessionError& error) {
    if (error.problems().empty()) __builtin_trap();
  }
  return 0;
}
