/// The names of controls by where they sit, and the kernel's codes that they have by default.
///
/// Source of the defaults: the Linux kernel's gamepad specification (Documentation/input/gamepad.rst) and its event
/// codes (include/uapi/linux/input-event-codes.h). For a stick's y the specification has down positive; here pushing
/// away from oneself is positive, so those controls are reversed by default.
///
///     gyrax::find_control("stick.left.x")->id
#pragma once

#include <gyrax/base/ids.hpp>
#include <gyrax/handset/device.hpp>
#include <gyrax/signal/calibration.hpp>

#include <cstdint>
#include <optional>
#include <span>
#include <string>
#include <vector>

namespace gyrax {

struct ControlName {
  std::string name;
  ControlKind kind = ControlKind::key;
  std::uint16_t type = 0;  ///< the kernel's event type: EV_KEY, EV_ABS, EV_REL
  std::uint16_t code = 0;
  int hat_side = 0;  ///< -1 or 1: this key is that side of a hat's axis; otherwise 0
  bool reversed = false;
  ControlId id{};
};

/// Every control there is, by ControlId.
std::span<const ControlName> all_controls();
/// By name; nullptr if there is none.
const ControlName* find_control(const std::string& name);
/// The control of a kernel code; for a hat's axis the side; nullptr if it has no name.
const ControlName* find_control(std::uint16_t type, std::uint16_t code, int hat_side = 0);
/// The same on a device: by its own map, by what it is (the axes of a tilt sensor are accelerations), otherwise as
/// above.
const ControlName* control_on(const Device& device, std::uint16_t type, std::uint16_t code, int hat_side = 0);
/// The code of the kernel's name "ABS_X" with its type; nullopt if there is none.
std::optional<std::pair<std::uint16_t, std::uint16_t>> code_named(const std::string& name);
const std::string& control_name(ControlId control);
/// The two controls of a stick ("stick.left"): x and y; nullopt if it is not a stick's name.
struct StickControls {
  ControlId x{}, y{};
};
std::optional<StickControls> stick(const std::string& name);
/// The stick that a control is part of ("stick.left" for stick.left.y); empty if none.
std::string stick_of(ControlId control);
/// Of all control names, the one that was probably meant, also by the kernel's name; empty if none is near.
std::string nearest_control(const std::string& typed);
/// All controls that a device has, in the order of all_controls().
std::vector<ControlId> controls_of(const Device& device);
/// What a device says of an absolute control's ends; nullptr where it has no such control.
const AbsoluteRange* range_of(const Device& device, ControlId control);
/// The ends that a control goes to: the device's own, but for an acceleration those of free fall, where the device says
/// what they are (the kernel's resolution: units for it). nullopt where it has no such control.
std::optional<AbsoluteRange> ends_of(const Device& device, ControlId control);
/// The same kind and direction with a device's ends; nullopt where these cannot be.
std::optional<Calibration> fitted(const Calibration& old, const AbsoluteRange& range);
/// The kernel's own name of a control's code, as "ABS_X"; its numbers where it has none.
std::string kernel_code(const ControlName& control);

}  // namespace gyrax
