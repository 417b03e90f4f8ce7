/// The room that turns commands into what each link's devices understand.
///
/// In: one command an axis, one state a switch. Out: one frame a link, with how long it is valid. Never: a change of
/// what was commanded beyond rounding to the device's own unit.
///
///     for (const Frame& frame : output.frames(commands, switches, now)) link.send(frame);
#pragma once

#include <gyrax/base/command.hpp>
#include <gyrax/base/nano.hpp>
#include <gyrax/base/recompute.hpp>
#include <gyrax/output/drive.hpp>
#include <gyrax/permit/links.hpp>

#include <optional>
#include <span>
#include <vector>

namespace gyrax {

class Output {
 public:
  /// Axes by AxisId, with their wiring and their drives; switches by SwitchId.
  Output(std::span<const LinkSetup> links, std::span<const Wiring> axes, std::span<const Drive> drives,
         std::span<const Wiring> switches, Recompute recompute = Recompute::changed);

  /// One frame a link. The spans inside stay valid until the next call.
  std::span<const Frame> frames(std::span<const AxisCommand> commands, std::span<const std::uint8_t> switches,
                                Time now) noexcept;
  /// Where the zero that an axis's link counts from is on the machine's own scale: at first the same. Of a counted
  /// drive.
  void place_zero(AxisId axis, Nano at) noexcept;
  /// What stands in a link's frames from the next call of frames() on.
  void order(LinkId link, std::optional<ActionOrder> order) noexcept { frames_[index(link)].order = order; }

 private:
  /// The command that a word was made of.
  struct Made {
    Mode mode = Mode::off;
    double p = 0, v = 0;
    std::uint32_t word = 0;  // the row in words_
    Nano zero = 0;           // of its link
  };
  Recompute recompute_;
  bool stands_ = false;     // words_ holds what made_ says
  std::vector<Made> made_;  // by AxisId
  std::vector<Drive> drives_;
  std::vector<std::uint32_t> bit_of_;  // by SwitchId: the row in bits_
  std::vector<AxisWord> words_;
  std::vector<std::uint8_t> bits_;
  std::vector<Frame> frames_;
};

}  // namespace gyrax
