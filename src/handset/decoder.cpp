#include <gyrax/handset/controls.hpp>
#include <gyrax/handset/decoder.hpp>

#include <linux/input.h>

namespace gyrax {
namespace {

constexpr std::int32_t repeat = 2;
constexpr std::int8_t unknown = 2;

bool is_hat(const InputEvent& event) {
  return event.type == EV_ABS && (event.code == ABS_HAT0X || event.code == ABS_HAT0Y);
}

}  // namespace

EventDecoder::EventDecoder(HandsetId handset, const Device& device)
    : handset_(handset), wireless_(device.bus == BUS_BLUETOOTH), hats_(2) {
  for (const auto& [type, codes] : {std::pair{EV_KEY, KEY_CNT}, {EV_REL, REL_CNT}, {EV_ABS, ABS_CNT}})
    for (int code = 0; code < codes; ++code) {
      const ControlName* control =
          control_on(device, static_cast<std::uint16_t>(type), static_cast<std::uint16_t>(code));
      controls_[static_cast<std::size_t>(type)].push_back(control != nullptr ? control->id : no<ControlId>);
    }
  for (const std::uint16_t code : device.keys)
    if (const ControlName* control = control_on(device, EV_KEY, code);
        control != nullptr && control->kind == ControlKind::key)
      keys_.push_back(control->id);
  for (const std::uint16_t code : {std::uint16_t{ABS_HAT0X}, std::uint16_t{ABS_HAT0Y}})
    for (const int side : {-1, 1})
      if (device.absolute.contains(code)) keys_.push_back(find_control(EV_ABS, code, side)->id);
}

void EventDecoder::add(ControlId control, std::int32_t raw, Time at, Time arrival, std::vector<Reading>& out) {
  out.push_back({handset_, control, 0, at, arrival, raw});
}

void EventDecoder::plugged(Time at, std::vector<Reading>& out, const std::set<ControlId>& held) {
  dropping_ = false;
  frame_.clear();
  hats_.assign(2, 0);
  const std::size_t first = out.size();
  add(ControlId::presence, wireless_ ? wireless_presence : 1, at, at, out);
  for (const ControlId key : keys_) add(key, held.contains(key) ? 1 : 0, at, at, out);
  for (std::size_t i = first; i < out.size(); ++i) out[i].sequence = ++sequence_;
}

void EventDecoder::unplugged(Time at, std::vector<Reading>& out) {
  frame_.clear();
  add(ControlId::presence, 0, at, at, out);
  out.back().sequence = ++sequence_;
}

void EventDecoder::take(const InputEvent& event, Time at, Time arrival) {
  if (is_hat(event)) {
    const std::size_t which = event.code == ABS_HAT0X ? 0 : 1;
    const std::int8_t side = static_cast<std::int8_t>(event.value < 0 ? -1 : event.value > 0 ? 1 : 0);
    if (side == hats_[which]) return;
    for (const int one : {-1, 1}) {
      const bool was = hats_[which] == one, is = side == one;
      if (was != is || hats_[which] == unknown)
        add(find_control(EV_ABS, event.code, one)->id, is ? 1 : 0, at, arrival, frame_);
    }
    hats_[which] = side;
    return;
  }
  if (event.type == EV_KEY && event.value == repeat) return;
  if (event.type >= controls_.size() || event.code >= controls_[event.type].size()) return;
  if (const ControlId control = controls_[event.type][event.code]; control != no<ControlId>)
    add(control, event.value, at, arrival, frame_);
}

void EventDecoder::event(const InputEvent& event, Time at, Time arrival, std::vector<Reading>& out) {
  if (event.type == EV_SYN && event.code == SYN_DROPPED) {
    dropping_ = true;
    frame_.clear();
    ++gaps_;
    // The kernel does not say how many; whoever passed over events does.
    lost_ = event.value > 0 ? event.value : 1;
    return;
  }
  if (event.type != EV_SYN) {
    if (!dropping_) take(event, at, arrival);
    return;
  }
  if (event.code != SYN_REPORT) return;
  if (dropping_) {
    // What was lost may be a release: the gap makes every control of the handset unknown.
    dropping_ = false;
    hats_.assign(2, unknown);
    add(ControlId::gap, lost_, at, arrival, out);
    out.back().sequence = ++sequence_;
    return;
  }
  for (Reading& reading : frame_) {
    reading.sequence = ++sequence_;
    // A frame's readings arrive together, with its end.
    reading.arrival = arrival;
    out.push_back(reading);
  }
  frame_.clear();
}

}  // namespace gyrax
