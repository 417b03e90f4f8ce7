/// The room that turns commands into what each link's devices understand.
///
/// In: one command an axis, one state a switch. Out: one frame a link, with how long it is valid. Never: a change of
/// what was commanded beyond rounding to the device's own unit.
///
///     for (const Frame& frame : output.frames(commands, switches, now)) link.send(frame);
#pragma once

#include <gyrax/base/command.hpp>
#include <gyrax/output/motor.hpp>
#include <gyrax/output/servo.hpp>
#include <gyrax/permit/links.hpp>

#include <optional>
#include <span>
#include <vector>

namespace gyrax {

class Output {
 public:
  /// Axes by AxisId with their wiring and, for servos and motors, their map; switches by SwitchId with the same wiring.
  Output(std::span<const LinkSetup> links, std::span<const Wiring> axes, std::span<const std::optional<ServoMap>> servos,
         std::span<const std::optional<MotorMap>> motors, std::span<const Wiring> switches);

  /// One frame a link. The spans inside stay valid until the next call.
  std::span<const Frame> frames(std::span<const AxisCommand> commands, std::span<const std::uint8_t> switches, Time now) noexcept;

  /// One axis's word: nm, ndeg, µs of pulse or millionths of full power.
  AxisWord word(AxisId axis, const AxisCommand& command) const noexcept;

 private:
  struct Place {
    std::size_t first_axis = 0, first_switch = 0;
  };
  std::vector<Wiring> axes_, switches_;
  std::vector<std::optional<ServoMap>> servos_;
  std::vector<std::optional<MotorMap>> motors_;
  std::vector<Place> places_;
  std::vector<AxisWord> words_;
  std::vector<std::uint8_t> bits_;
  std::vector<Frame> frames_;
};

}  // namespace gyrax
