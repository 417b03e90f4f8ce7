/// The links of a rig whose machines are simulated, side by side and in the engine's own time.
///
/// In: the engine's frames. Out: the reports for its next tick.
///
///     SimulatedLinks links(rig);
///     engine.tick({now, readings, links.reports(now)}, out);
///     links.send(out.frames);
#pragma once

#include <gyrax/link/link.hpp>
#include <gyrax/rig/rig.hpp>
#include <gyrax/sim/bench.hpp>

#include <span>
#include <string>
#include <vector>

namespace gyrax {

/// One of them.
class SimulatedLink final : public Link {
 public:
  SimulatedLink(const Rig& rig, LinkId link);
  void receive(Time now, std::vector<LinkReport>& reports) override;
  void send(const Frame& frame) override { bench_.receive(frame); }
  sim::Bench& bench() noexcept { return bench_; }
  const sim::Bench& bench() const noexcept { return bench_; }

 private:
  sim::Bench bench_;
};

/// All of a rig's links with simulated machines, of whatever kind they are.
class SimulatedLinks final : public Machines {
 public:
  explicit SimulatedLinks(const Rig& rig);

  /// Lets the machines move on to `now` and gives what they reported since. Valid until the next call.
  std::span<const LinkReport> reports(Time now) override;
  void send(std::span<const Frame> frames) override;

  sim::Bench& bench(LinkId link) { return links_[index(link)].bench(); }
  /// Where an axis of the rig really is, and how fast, in its unit; asked of the machine, not of its reports.
  double position(AxisId axis) const;
  double speed(AxisId axis) const;
  bool switched_on(SwitchId target) const;
  /// What an input of the rig says from now on, in its unit; not `fresh`: nothing that can be relied on.
  void set_input(InputId input, double value, bool fresh = true);
  /// Breaks an axis of the rig (or mends it, with AxisFault::none).
  void break_axis(AxisId axis, sim::AxisFault fault);

 private:
  std::vector<SimulatedLink> links_;
  std::vector<Wiring> axes_, switches_, inputs_;
  std::vector<double> zeros_;  // by AxisId: where its far end counts from
  std::vector<LinkReport> reports_;
};

}  // namespace gyrax
