/// The room that turns commands into what each link's devices understand.
///
/// In: one command an axis, one state a switch. Out: one frame a link, with how long it is valid. Never: a change of
/// what was commanded beyond rounding to the device's own unit.
///
///     for (const Frame& frame : output.frames(commands, switches, now)) link.send(frame);
#pragma once

#include <gyrax/base/command.hpp>
#include <gyrax/output/drive.hpp>
#include <gyrax/permit/links.hpp>

#include <span>
#include <vector>

namespace gyrax {

class Output {
 public:
  /// Axes by AxisId, with their wiring and their drives; switches by SwitchId.
  Output(std::span<const LinkSetup> links, std::span<const Wiring> axes, std::span<const Drive> drives,
         std::span<const Wiring> switches);

  /// One frame a link. The spans inside stay valid until the next call.
  std::span<const Frame> frames(std::span<const AxisCommand> commands, std::span<const std::uint8_t> switches,
                                Time now) noexcept;

 private:
  struct Place {
    std::size_t first_axis = 0, first_switch = 0;
  };
  std::vector<Wiring> axes_, switches_;
  std::vector<Drive> drives_;
  std::vector<Place> places_;
  std::vector<AxisWord> words_;
  std::vector<std::uint8_t> bits_;
  std::vector<Frame> frames_;
};

}  // namespace gyrax
