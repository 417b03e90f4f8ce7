/// From a device's events to readings: the same code for a live device and for a recorded one.
///
/// In: events, framed by SYN_REPORT. Out: readings, in order, numbered. Never: half a frame; anything of what comes
/// between a SYN_DROPPED and the SYN_REPORT that ends it; key repeats.
///
///     EventDecoder decoder(HandsetId{0}, device);
///     decoder.plugged(now, out);
///     decoder.event(event, event_time, arrival, out);
#pragma once

#include <gyrax/base/reading.hpp>
#include <gyrax/handset/device.hpp>

#include <array>
#include <set>
#include <vector>

namespace gyrax {

class EventDecoder {
 public:
  EventDecoder(HandsetId handset, const Device& device);

  /// The device is there. Keys and hats are told as up, but for those that are known to be `held`: nobody saw these
  /// being pressed. Sticks and triggers stay unknown until they report: what the kernel holds for them before is a
  /// placeholder.
  void plugged(Time at, std::vector<Reading>& out, const std::set<ControlId>& held = {});
  void unplugged(Time at, std::vector<Reading>& out);

  /// One event. Readings come out with the SYN_REPORT that ends their frame, each with its own event's time.
  void event(const InputEvent& event, Time at, Time arrival, std::vector<Reading>& out);

  /// SYN_DROPPED so far: gaps that the kernel itself told of.
  std::uint64_t gaps() const noexcept { return gaps_; }

 private:
  void add(ControlId control, std::int32_t raw, Time at, Time arrival, std::vector<Reading>& out);
  void take(const InputEvent& event, Time at, Time arrival);

  HandsetId handset_;
  bool wireless_;
  /// The control of each code, by the event's type; no<ControlId> where it has none.
  std::array<std::vector<ControlId>, 4> controls_;
  std::vector<ControlId> keys_;  // what the device has, told as up when it is plugged in
  std::vector<Reading> frame_;
  std::vector<std::int8_t> hats_;  // last side of HAT0X, HAT0Y; 2: unknown
  std::uint32_t sequence_ = 0;
  std::uint64_t gaps_ = 0;
  bool dropping_ = false;
  std::int32_t lost_ = 1;  // in the drop under way, as far as that is known
};

}  // namespace gyrax
