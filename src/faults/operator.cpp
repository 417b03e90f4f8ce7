#include <gyrax/faults/operator.hpp>

#include <algorithm>
#include <cmath>

namespace gyrax {

Operator::Operator(const Rig& rig) : rig_(rig), handsets_(rig.handsets.size()), shares_(rig.slots.size()) {
  for (std::size_t s = 0; s < shares_.size(); ++s) {
    const ControlSetup& control = rig.setup.controls[s];
    const VirtualControl& made = control.virtual_control;
    const bool tilts = made.how == VirtualControl::How::tilt_x || made.how == VirtualControl::How::tilt_y;
    // Lying flat, it feels gravity.
    if (tilts) shares_[index(made.parts[2])] = 1;
    const bool can_be_told = control.control != no<ControlId> && control.calibration.kind() != ControlKind::counts;
    const ControlKind kind = control.calibration.kind();
    Handset& handset = handsets_[index(control.handset)];
    const bool absolute = kind == ControlKind::centred || kind == ControlKind::one_sided;
    if (can_be_told && absolute && !tilts) handset.trembles = id_at<SlotId>(s);
    if (can_be_told) handsets_[index(control.handset)].steady = id_at<SlotId>(s);
  }
}

Operator& Operator::say(Reading reading) {
  Handset& handset = handsets_[index(reading.handset)];
  // Whether it is plugged in the kernel says, not its radio.
  if (handset.frozen && reading.control != ControlId::presence) return *this;
  reading.sequence = ++handset.sequence;
  handset.said = reading.event;
  waiting_.push_back({reading, reading.event + delay_});
  return *this;
}

void Operator::tell(SlotId slot, Time now, std::int32_t off) {
  const ControlSetup& control = rig_.setup.controls[index(slot)];
  if (!handsets_[index(control.handset)].plugged) return;
  say({control.handset, control.control, 0, now, now, control.calibration.raw_of(shares_[index(slot)]) + off});
}

void Operator::tell_all(HandsetId handset, Time now) {
  for (std::size_t s = 0; s < shares_.size(); ++s) {
    const ControlSetup& control = rig_.setup.controls[s];
    const bool is_place = control.control != no<ControlId> && control.calibration.kind() != ControlKind::counts;
    if (control.handset == handset && is_place) tell(id_at<SlotId>(s), now);
  }
}

Operator& Operator::plug(HandsetId handset, Time now, bool by_radio) {
  handsets_[index(handset)].plugged = true;
  say({handset, ControlId::presence, 0, now, now, by_radio ? wireless_presence : 1});
  tell_all(handset, now);
  return *this;
}

Operator& Operator::unplug(HandsetId handset, Time now) {
  say({handset, ControlId::presence, 0, now, now, 0});
  handsets_[index(handset)].plugged = false;
  return *this;
}

Operator& Operator::put(SlotId slot, double share, Time now) {
  const ControlSetup& control = rig_.setup.controls[index(slot)];
  shares_[index(slot)] = share;
  if (control.virtual_control.how == VirtualControl::How::none)
    tell(slot, now);
  else
    put_virtual(control, share, now);
  return *this;
}

void Operator::put_virtual(const ControlSetup& control, double share, Time now) {
  const VirtualControl& made = control.virtual_control;
  const auto part = [&](std::size_t i, double value) { put(made.parts[i], value, now); };
  switch (made.how) {
    case VirtualControl::How::none: break;
    case VirtualControl::How::difference:
      part(0, std::max(share, 0.0));
      part(1, std::max(-share, 0.0));
      break;
    case VirtualControl::How::mean:
      part(0, share);
      part(1, share);
      break;
    case VirtualControl::How::greater: part(0, share); break;
    case VirtualControl::How::drive_left:
    case VirtualControl::How::drive_right:
      part(0, share);
      part(1, 0);
      break;
    case VirtualControl::How::tilt_x:
    case VirtualControl::How::tilt_y: {
      const double angle = share * made.range;
      part(made.how == VirtualControl::How::tilt_x ? 0 : 1, -std::sin(angle));
      part(2, std::cos(angle));
      break;
    }
    case VirtualControl::How::key: part(0, made.lower ? -share : share); break;
  }
}

Operator& Operator::turn(SlotId slot, int detents, Time now) {
  const ControlSetup& control = rig_.setup.controls[index(slot)];
  return say({control.handset, control.control, 0, now, now, control.calibration.raw_of(detents * control.detent)});
}

Operator& Operator::miss(HandsetId handset, std::uint32_t readings) {
  handsets_[index(handset)].sequence += readings;
  return *this;
}

Operator& Operator::freeze(HandsetId handset, Time now, bool frozen) {
  handsets_[index(handset)].frozen = frozen;
  // Whoever can be heard again tells how things stand.
  if (!frozen) tell_all(handset, now);
  return *this;
}

/// By one count, and back.
void Operator::tremble(Handset& handset, Time now) {
  constexpr Span often = std::chrono::milliseconds(400);
  if (handset.trembles == no<SlotId> || now - handset.trembled < often) return;
  handset.trembled = now;
  handset.off = !handset.off;
  const Calibration& ends = rig_.setup.controls[index(handset.trembles)].calibration;
  const bool at_top = ends.raw_of(shares_[index(handset.trembles)]) >= ends.maximum();
  tell(handset.trembles, now, !handset.off ? 0 : at_top ? -1 : 1);
}

std::span<const Reading> Operator::take(Time now) {
  constexpr Span steadily = std::chrono::milliseconds(4);
  for (std::size_t h = 0; h < handsets_.size(); ++h) {
    Handset& handset = handsets_[h];
    if (rig_.setup.handsets[h].max_steady.value_or(Span{}) > Span{} && handset.plugged && !handset.frozen)
      tremble(handset, now);
    const bool silent = handset.frozen || handset.steady == no<SlotId>;
    if (rig_.setup.handsets[h].max_silence && handset.plugged && !silent && now - handset.said >= steadily)
      tell(handset.steady, now);
  }
  taken_.clear();
  const auto has_come = [&](const Waiting& one) { return one.due <= now; };
  for (const Waiting& one : waiting_)
    if (has_come(one)) {
      taken_.push_back(one.reading);
      taken_.back().arrival = now;
    }
  std::erase_if(waiting_, has_come);
  return taken_;
}

}  // namespace gyrax
