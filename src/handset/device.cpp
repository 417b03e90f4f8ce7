#include <gyrax/handset/device.hpp>

#include <fmt/format.h>
#include <linux/input-event-codes.h>

#include <algorithm>
#include <array>

namespace gyrax {
namespace {

bool any_of(const std::set<std::uint16_t>& codes, int from, int to) {
  return std::any_of(codes.begin(), codes.end(), [&](int code) { return code >= from && code <= to; });
}

}  // namespace

DeviceKind kind_of(const Device& d) {
  const auto property = [&](int which) { return d.properties.contains(static_cast<std::uint16_t>(which)); };
  const auto key = [&](int code) { return d.keys.contains(static_cast<std::uint16_t>(code)); };
  const auto relative = [&](int code) { return d.relative.contains(static_cast<std::uint16_t>(code)); };
  if (property(INPUT_PROP_ACCELEROMETER)) return DeviceKind::tilt;
  if (property(INPUT_PROP_POINTER) || property(INPUT_PROP_DIRECT) || key(BTN_TOUCH) ||
      (relative(REL_X) && relative(REL_Y)))
    return DeviceKind::pointer;
  if (key(BTN_SOUTH) || any_of(d.keys, BTN_DPAD_UP, BTN_DPAD_RIGHT)) return DeviceKind::gamepad;
  const bool sticks = d.absolute.contains(ABS_X) || d.absolute.contains(ABS_THROTTLE) || d.absolute.contains(ABS_WHEEL);
  if (any_of(d.keys, BTN_JOYSTICK, BTN_DEAD) || (sticks && any_of(d.keys, BTN_MISC, BTN_9)))
    return DeviceKind::joystick;
  if (relative(REL_DIAL) || relative(REL_WHEEL)) return DeviceKind::dial;
  // A device that is more than a power key or a row of volume keys has at least one of these.
  if (key(KEY_KP1) || key(KEY_1) || key(KEY_F1) || key(KEY_LEFT)) return DeviceKind::keypad;
  return sticks && d.keys.empty() && d.absolute.size() > 1 ? DeviceKind::joystick : DeviceKind::other;
}

const char* name_of(DeviceKind kind) noexcept {
  constexpr std::array<const char*, 7> names{"gamepad",     "joystick", "keypad", "dial",
                                             "tilt sensor", "pointer",  "other"};
  return names[static_cast<std::size_t>(kind)];
}

std::string id_of(const Device& device) { return fmt::format("{:04x}:{:04x}", device.vendor, device.product); }

std::string as_text(const std::string& said) {
  const auto byte = [&](std::size_t i) { return i < said.size() ? static_cast<unsigned char>(said[i]) : 0u; };
  std::string text;
  for (std::size_t i = 0; i < said.size();) {
    const unsigned first = byte(i);
    const std::size_t length = first < 0x80                    ? 1
                               : first >= 0xc2 && first < 0xe0 ? 2
                               : first >= 0xe0 && first < 0xf0 ? 3
                               : first >= 0xf0 && first < 0xf5 ? 4
                                                               : 0;
    bool good = length > 0;
    for (std::size_t k = 1; k < length; ++k) good = good && (byte(i + k) & 0xc0u) == 0x80u;
    // Not in more bytes than it takes, no half of a pair, nothing beyond the last code point (RFC 3629).
    const unsigned second = byte(i + 1);
    good = good && !(first == 0xe0 && second < 0xa0) && !(first == 0xed && second >= 0xa0) &&
           !(first == 0xf0 && second < 0x90) && !(first == 0xf4 && second >= 0x90);
    if (good) {
      text.append(said, i, length);
      i += length;
    } else {
      text += "\xef\xbf\xbd";
      ++i;
    }
  }
  return text;
}

}  // namespace gyrax
