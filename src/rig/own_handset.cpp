#include <gyrax/handset/controls.hpp>
#include <gyrax/rig/own_handset.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <stdexcept>

namespace gyrax {
namespace {

/// The raw number that comes nearest to a share of the way.
std::int32_t raw_of(const Calibration& c, double share) {
  const auto near = [](double from, double to, double part) {
    return static_cast<std::int32_t>(std::lround(from + (to - from) * part));
  };
  // Not a number is no deflection.
  share = share >= -1 ? std::min(share, 1.0) : share < -1 ? -1.0 : 0.0;
  if (c.kind() != ControlKind::centred) {
    share = std::max(share, 0.0);
    return c.reversed() ? near(c.maximum(), c.minimum(), share) : near(c.minimum(), c.maximum(), share);
  }
  if (c.reversed()) share = -share;
  return share < 0 ? near(c.centre(), c.minimum(), -share) : near(c.centre(), c.maximum(), share);
}

}  // namespace

OwnHandset::OwnHandset(const Rig& rig, std::string_view name) : rig_(rig) {
  for (std::size_t h = 0; h < rig.handsets.size(); ++h)
    if (rig.handsets[h] == name) handset_ = id_at<HandsetId>(h);
  if (handset_ == no<HandsetId>)
    throw std::invalid_argument(fmt::format("the rig has no handset '{}'; there are: {}", name, listed(rig.handsets)));
}

const ControlSetup& OwnHandset::find(std::string_view control, bool (*fits)(ControlKind), const char* wanted) const {
  const ControlName* const known = find_control(std::string(control));
  std::vector<std::string> used;
  for (const ControlSetup& one : rig_.setup.controls) {
    if (one.handset != handset_ || one.control == no<ControlId>) continue;
    used.push_back(control_name(one.control));
    if (known == nullptr || one.control != known->id) continue;
    if (fits(one.calibration.kind())) return one;
    throw std::invalid_argument(fmt::format("'{}' is not {}", control, wanted));
  }
  throw std::invalid_argument(
      fmt::format("the rig uses no '{}' of {}; it uses: {}", control, rig_.handsets[index(handset_)], listed(used)));
}

void OwnHandset::say(ControlId control, std::int32_t raw, Time now) {
  readings_.push_back({handset_, control, ++sequence_, now, now, raw});
}

void OwnHandset::plug(Time now) {
  say(ControlId::presence, 1, now);
  for (const ControlSetup& one : rig_.setup.controls) {
    const ControlKind kind = one.calibration.kind();
    if (one.handset != handset_ || one.control == no<ControlId> || kind == ControlKind::counts) continue;
    say(one.control, kind == ControlKind::key ? 0 : raw_of(one.calibration, 0), now);
  }
}

void OwnHandset::unplug(Time now) { say(ControlId::presence, 0, now); }

void OwnHandset::key(std::string_view control, bool down, Time now) {
  const auto is_key = [](ControlKind kind) { return kind == ControlKind::key; };
  say(find(control, is_key, "a key").control, down ? 1 : 0, now);
}

void OwnHandset::share(std::string_view control, double share, Time now) {
  const auto deflects = [](ControlKind kind) { return kind == ControlKind::centred || kind == ControlKind::one_sided; };
  const ControlSetup& one = find(control, deflects, "a stick's axis, a trigger or a knob");
  say(one.control, raw_of(one.calibration, share), now);
}

void OwnHandset::turn(std::string_view control, std::int32_t counts, Time now) {
  const auto is_dial = [](ControlKind kind) { return kind == ControlKind::counts; };
  say(find(control, is_dial, "a dial").control, counts, now);
}

}  // namespace gyrax
