#include "review_parts.hpp"

#include <gyrax/rig/predictions.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <numbers>

namespace gyrax {

AxisTimes times_of(const Rig& rig, std::size_t a) {
  const AxisLimits& l = rig.setup.axes[a].limits;
  const StopReach stop = longest_stop(rig, id_at<AxisId>(a), l.speed());
  AxisTimes t{.stop_s = stop.time_s, .stop_distance = stop.distance};
  // What turns for ever has no full travel; a turn stands for it.
  t.travel_s =
      rig.axes[a].endless ? shortest_time({}, 360, l.full()) : shortest_time({l.low(), 0, 0}, l.high(), l.full());
  const auto& notches = rig.setup.notches.increments[a];
  if (!notches.values.empty()) {
    t.increment = from_nano(notches.values[notches.start]);
    t.increment_s = shortest_time({}, t.increment, l.full());
  }
  return t;
}

std::string virtual_words(const Rig& rig, const ControlSetup& c) {
  const auto part = [&](std::size_t i) { return rig.slots[index(c.virtual_control.parts[i])].name; };
  switch (c.virtual_control.how) {
    case VirtualControl::How::none: return {};
    case VirtualControl::How::difference: return fmt::format("{} less {}", part(0), part(1));
    case VirtualControl::How::mean: return fmt::format("mean of {} and {}", part(0), part(1));
    case VirtualControl::How::greater: return fmt::format("the greater of {} and {}", part(0), part(1));
    case VirtualControl::How::drive_left:
    case VirtualControl::How::drive_right:
      return fmt::format("{} motor of speed {} and turn {}",
                         c.virtual_control.how == VirtualControl::How::drive_left ? "left" : "right", part(0), part(1));
    case VirtualControl::How::tilt_x:
    case VirtualControl::How::tilt_y:
      return fmt::format("how far {} is lowered, by gravity; full at {:.0f} deg",
                         c.virtual_control.how == VirtualControl::How::tilt_x ? "its right side" : "its far side",
                         c.virtual_control.range * 180 / std::numbers::pi);
    case VirtualControl::How::key:
      return fmt::format("pressed from {:g} % of {} on, until below {:g} %",
                         (c.virtual_control.lower ? -100 : 100) * c.virtual_control.press, part(0),
                         (c.virtual_control.lower ? -100 : 100) * c.virtual_control.release);
  }
  return {};
}

std::string delay_of(const Rig& rig, std::size_t row) {
  const BindingSetup& b = rig.setup.bindings[row];
  if (b.gesture != Gesture::press || b.as<effect::Stop>()) return {};
  Rivals rivals;
  for (const BindingSetup& other : rig.setup.bindings) {
    const bool member = std::find(other.with.begin(), other.with.end(), b.slot) != other.with.end();
    if (other.layer != b.layer || (other.slot != b.slot && !member)) continue;
    rivals.add(other.gesture, other.hold);
  }
  return rivals.any() ? fmt::format(" (waits up to {:g} ms for its other gestures)",
                                    to_seconds(rival_delay(rivals, rig.setup.gestures)) * 1e3)
                      : "";
}

std::vector<const char*> stowed_after(const ZoneSetup& zone) {
  std::vector<const char*> all;
  if (zone.stow_after.override) all.push_back("override");
  if (zone.stow_after.layer) all.push_back("layer");
  if (zone.stow_after.calibration) all.push_back("calibration");
  return all;
}

}  // namespace gyrax
