/// The watchdog of the links: is each heartbeat fresh, and where is every axis.
///
/// In: reports. Out: whether a link is fresh, the last measured position of each axis, and what each input is. Never: a
/// position from a report that failed a check, and never a neutral one in place of a lost one.
///
///     Cause wrong = links.accept(report, now);      // Cause::none, or why the report was refused
#pragma once

#include <gyrax/base/link_types.hpp>
#include <gyrax/permit/cause.hpp>
#include <gyrax/permit/inputs.hpp>

#include <span>
#include <vector>

namespace gyrax {

struct LinkSetup {
  Span max_silence = std::chrono::milliseconds(100);     ///< without a heartbeat; longer is a fault
  Span frame_valid_for = std::chrono::milliseconds(50);  ///< given to the far end with every frame
};

/// Where an axis is on its links: which link, and which word of that link's frames and reports.
struct Wiring {
  LinkId link{};
  std::uint16_t channel = 0;
};

class Links {
 public:
  Links(std::span<const LinkSetup> links, std::span<const Wiring> axes, std::span<const InputSetup> inputs = {});

  /// Takes one report. Refused whole, with Cause::report_invalid, where its times are out of order or in the future,
  /// its heartbeat stands still or runs backwards, or a measured number is not finite. An unknown link is ignored.
  Cause accept(const LinkReport& report, Time now) noexcept;

  bool fresh(LinkId link, Time now) const noexcept;
  /// Whether its last report said that something is wrong with the far end.
  bool faulty(LinkId link) const noexcept { return states_[index(link)].faults != 0; }
  /// Whether its last report said that it is still switching on.
  bool waits(LinkId link) const noexcept { return states_[index(link)].waits; }
  /// The last report's word on an axis; not measured if there was none.
  const AxisReport& measured(AxisId axis) const noexcept { return axes_[index(axis)]; }
  /// When that was measured; the beginning of time if there was none.
  Time measured_at(LinkId link) const noexcept { return states_[index(link)].measured; }
  InputState input(InputId input, Time now) const noexcept;
  /// The last number that was reported of it, in its unit; 0 where there was none.
  double input_value(InputId input) const noexcept { return inputs_[index(input)].value; }
  /// When it was measured first as what it is now, on or off; the beginning of time where it never was.
  Time input_since(InputId input) const noexcept { return inputs_[index(input)].since; }
  /// Whether its last number that was reported is beyond its bounds, and for how long.
  const InputWatch& input_watch(InputId input) const noexcept { return inputs_[index(input)].watch; }
  /// One more each time that an input is something else than before: on or off, known, beyond its bounds.
  std::uint32_t input_changes() const noexcept { return input_changes_; }
  std::size_t links() const noexcept { return states_.size(); }
  /// Where the zero that its link counts from is on the machine's own scale, in the axis's unit: at first the same.
  /// What was reported last moves along.
  void place_zero(AxisId axis, double at) noexcept;
  /// One more each time that a link may have lost what it knew: a report came late, was refused, or told of a fault.
  std::uint32_t losses(LinkId link) const noexcept { return states_[index(link)].losses; }

 private:
  struct State {
    bool heard = false;
    std::uint32_t sequence = 0;
    Time measured{}, arrival{};
    std::uint32_t faults = 0;
    bool waits = false;
    std::uint32_t losses = 0;
  };
  bool holds(const LinkReport& report, Time now) const noexcept;

  std::vector<LinkSetup> links_;
  std::vector<Wiring> wiring_;
  std::vector<State> states_;
  std::vector<AxisReport> axes_;
  std::vector<double> zeros_;  // by AxisId
  struct Input {
    LinkId link{};
    InputWatch watch;
    bool known = false;
    double value = 0;
    Time since{};
  };
  std::vector<Input> inputs_;
  std::uint32_t input_changes_ = 0;
};

}  // namespace gyrax
