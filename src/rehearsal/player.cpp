#include <gyrax/handset/decoder.hpp>
#include <gyrax/rehearsal/player.hpp>

#include <fmt/format.h>

#include <algorithm>

namespace gyrax {
namespace {

/// One handset's readings over the whole session.
void decode(const SessionHandset& handset, const SeatWish& wish, HandsetId id, Time end, std::vector<Reading>& out) {
  Device device = handset.track.device;
  device.named = wish.named;
  EventDecoder decoder(id, device);
  std::size_t next = 0;
  for (const auto& [from, to] : handset.plugged) {
    decoder.plugged(from, out);
    for (; next < handset.track.events.size(); ++next) {
      const InputEvent& event = handset.track.events[next];
      const Time at{std::chrono::microseconds(event.time_us)};
      if (at > to) break;
      decoder.event(event, at, at, out);
    }
    // A recording that ends says nothing about the plug.
    if (to < end) decoder.unplugged(to, out);
  }
}

std::vector<std::string> names_of(const Rig& rig, bool links) {
  std::vector<std::string> names;
  for (const LinkInfo& link : rig.links)
    if (links) names.push_back(link.name);
  for (const AxisInfo& axis : rig.axes)
    if (!links) names.push_back(axis.name);
  return names;
}

}  // namespace

Player::Player(const Session& session, const Rig& rig) {
  std::vector<Problem> problems;
  const auto check = [&](const std::string& name, const std::vector<std::string>& known, const char* kind, int line) {
    const auto at = std::find(known.begin(), known.end(), name);
    if (at != known.end()) return at - known.begin();
    problems.push_back({Code::unknown_name, session.path, line, line > 0 ? 1 : 0, "",
                        fmt::format("the rig has no {} '{}'", kind, name), "it has: " + listed(known),
                        nearest(name, known)});
    return std::ptrdiff_t{-1};
  };
  for (const SessionHandset& handset : session.handsets) {
    const auto row = check(handset.name, rig.handsets, "handset", 0);
    if (row >= 0)
      decode(handset, rig.seats[static_cast<std::size_t>(row)], id_at<HandsetId>(static_cast<std::size_t>(row)),
             Time{session.length}, readings_);
  }
  for (const SessionFault& fault : session.faults)
    check(fault.link.empty() ? fault.axis : fault.link, names_of(rig, !fault.link.empty()),
          fault.link.empty() ? "axis" : "link", fault.line);
  if (!problems.empty()) throw SessionError(std::move(problems));
  std::stable_sort(readings_.begin(), readings_.end(),
                   [](const Reading& a, const Reading& b) { return a.arrival < b.arrival; });
}

std::span<const Reading> Player::until(Time now) noexcept {
  const std::size_t first = next_;
  while (next_ < readings_.size() && readings_[next_].arrival <= now) ++next_;
  return std::span(readings_).subspan(first, next_ - first);
}

}  // namespace gyrax
