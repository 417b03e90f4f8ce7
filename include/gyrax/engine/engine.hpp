/// The tick that joins the rooms: signal → bind → permit → motion → envelope → output.
///
/// In: the time, all readings and reports since the last tick, in order. Out: a command and a reason for every axis, a
/// frame for every link, events. Never: allocation, a lock, a system call, an exception, a clock of its own.
///
///     gyrax::Engine engine(rig.setup);
///     gyrax::TickBuffers out(rig.setup);
///     engine.tick({now, readings, reports}, out.view());
///     puts(say(rig, out.why[0]).c_str());   // why the first axis does not move (gyrax/rig/words.hpp)
#pragma once

#include <gyrax/engine/parts.hpp>

#include <memory>
#include <span>
#include <vector>

namespace gyrax {

struct TickInput {
  Time now{};  ///< never before the last tick's; equal is allowed and moves nothing
  std::span<const Reading> readings;
  std::span<const LinkReport> reports;
  bool end = false;  ///< the program ends: a stop of every zone (Cause::program_ends), and nothing starts any more
  std::span<const ProgramRequest> program{};
  std::span<const ActionId> typed{};  ///< actions that somebody asked for by name, without a handset
};

struct TickOutput {
  std::span<AxisCommand> commands;   ///< by AxisId
  std::span<AxisStatus> why;         ///< by AxisId: what keeps each axis from moving
  std::span<std::uint8_t> switches;  ///< by SwitchId; 0 off, 1 on
  std::span<const Frame>& frames;    ///< one a link; valid until the next tick
  EventRing& events;
};

/// Storage for one engine's output, sized once.
class TickBuffers {
 public:
  explicit TickBuffers(const Setup& setup, std::size_t events = 256);
  TickOutput& view() noexcept { return view_; }
  TickBuffers(const TickBuffers&) = delete;
  TickBuffers& operator=(const TickBuffers&) = delete;

  std::vector<AxisCommand> commands;
  std::vector<AxisStatus> why;
  std::vector<std::uint8_t> switches;
  std::span<const Frame> frames;
  EventRing events;

 private:
  TickOutput view_;
};

namespace detail {
class Reference;
}

class Engine {
 public:
  /// Sizes everything from a checked rig. The only place that allocates. A debug build of the library works out
  /// everything anew beside what has changed, in each tick, and ends where the two differ.
  explicit Engine(const Setup& setup, Recompute recompute = Recompute::changed);
  ~Engine();
  Engine(const Engine&) = delete;
  Engine& operator=(const Engine&) = delete;

  /// One pass from left to right. The same calls give the same results again.
  void tick(const TickInput& in, TickOutput& out) noexcept;

  /// Gives a control other ends, between two ticks: another device takes the handset's place. Refused (false) while the
  /// handset is present, or for another kind of control.
  bool calibrate(SlotId slot, const Calibration& calibration) noexcept;

  /// The handsets that are in charge of a zone; none while it is stowed.
  HandsetBits in_charge(ZoneId zone) const noexcept { return parts_.zone(zone).in_charge; }
  const Permit& permit(ZoneId zone) const noexcept { return parts_.zone(zone).permit; }
  const Signal& signal() const noexcept { return parts_.signal; }
  const Bind& bind() const noexcept { return parts_.bind; }
  const Links& links() const noexcept { return parts_.links; }
  const AxisMotion& motion(AxisId axis) const noexcept { return parts_.motion.axis(axis); }
  /// Where the person's own zero is, counted from the machine's.
  Nano zero(AxisId axis) const noexcept { return parts_.axis(axis).zero; }
  /// Whether it is known where it is: an input says so, or Gyrax has homed it. True where nothing has to.
  bool homed(AxisId axis) const noexcept { return parts_.axis(axis).is_homed; }
  ActionView action(ActionId action) const noexcept {
    const detail::Action& one = parts_.actions[index(action)];
    return {one.stage, one.since};
  }
  /// What the hands ask of each coordinate in this tick.
  std::span<const Request> requests() const noexcept { return parts_.requests; }

 private:
  detail::EngineParts parts_;
  std::unique_ptr<detail::Reference> reference_;  // of a debug build
};

}  // namespace gyrax
