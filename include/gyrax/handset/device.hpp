/// What a device says of itself: who it is, and what it can send.
///
///     device.absolute.at(ABS_X).maximum
#pragma once

#include <cstdint>
#include <map>
#include <set>
#include <string>
#include <utility>
#include <vector>

namespace gyrax {

/// The kernel's input_absinfo, without the value: raw units of that control.
struct AbsoluteRange {
  std::int32_t minimum = 0, maximum = 0, fuzz = 0, flat = 0, resolution = 0;
};

struct Device {
  std::string name;
  std::uint16_t bus = 0, vendor = 0, product = 0, version = 0;
  std::string unique;  ///< the device's own serial number or address; empty where it has none
  std::string port;    ///< where it is plugged in, as the kernel names it; empty where that is not known
  std::set<std::uint16_t> properties, keys, relative;
  std::map<std::uint16_t, AbsoluteRange> absolute;
  /// Further event types (misc, switches, lights, force feedback …) as the device lists them.
  std::map<std::uint16_t, std::set<std::uint16_t>> other;
  /// Codes, by type and code, that stand for another control on it than they usually do: what a calibration says of it.
  std::map<std::pair<std::uint16_t, std::uint16_t>, std::string> named;
};

/// What sort of thing a device is, by what it can send.
enum class DeviceKind : std::uint8_t {
  gamepad,   ///< keys of a gamepad
  joystick,  ///< a stick with keys of its own, wheels, throttles
  keypad,    ///< keys that also type
  dial,      ///< counts and no pointer
  tilt,      ///< accelerations, often a further node of a gamepad
  pointer,   ///< mice and touch surfaces
  other,     ///< power keys, lids, sound jacks …
};
DeviceKind kind_of(const Device& device);
/// "gamepad", "tilt sensor" …
const char* name_of(DeviceKind kind) noexcept;
/// What a device says of itself as text: what is no UTF-8 becomes U+FFFD.
std::string as_text(const std::string& said);
/// "1209:0001": vendor and product in hexadecimal.
std::string id_of(const Device& device);

/// One event as the kernel sends it, at a time in seconds and microseconds of the device's clock.
struct InputEvent {
  std::int64_t time_us = 0;
  std::uint16_t type = 0, code = 0;
  std::int32_t value = 0;
};

}  // namespace gyrax
