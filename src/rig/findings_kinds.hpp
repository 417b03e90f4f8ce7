// The kinds of findings, and how the checks of a rig tell one. Private to the rig room.
#pragma once

#include <gyrax/rig/findings.hpp>

#include <optional>

namespace gyrax {

/// In the order of about_findings().
enum class Found : std::uint8_t {
  over_at_once,
  never_fires,
  needs_never_on,
  step_beyond_travel,
  trips_at_speed,
  stops_between_frames,
  silent_between_reports,
  wire_too_slow,
  never_good,
  needs_its_end,
  one_switch_two_ends,
  permit_and_more,
  stop_too_long,
  noticed_too_late,
  supply_too_small,
  switch_never_off,
  power_stays,
  two_words,
  two_effects,
  two_axes,
  layer_key_bound,
  layer_never_off,
  one_way,
  out_of_order,
  switch_never_on,
  always_reduced,
  springs_back,
  crooked_pair,
  long_stop,
  wide_following_error,
  weak_decel,
  never_at_speed,
  absurd_speed,
  step_below_pulse,
  step_below_step,
  coarse_notch,
  not_calibrated,
  wide_dead_zone,
  tiny_share,
  bound_out_of_range,
  long_silence,
  old_readings,
  late_ticks,
  count
};

class Findings {
 public:
  explicit Findings(const Rig& of) : rig(of) {}
  /// At a key of the rig, or at `otherwise` where the rig leaves it out.
  void at_key(Found kind, const std::string& key, const Origin& otherwise, std::string what, std::string instead);
  void at_binding(Found kind, std::size_t binding, std::string what, std::string instead);
  std::vector<Finding> take() { return std::move(all_); }

  const Rig& rig;

 private:
  std::vector<Finding> all_;
};

// Axes, their links and their times; inputs; what hands touch and what it asks for.
void find_in_axes(Findings& f);
void find_in_inputs(Findings& f);
void find_in_bindings(Findings& f);

}  // namespace gyrax
