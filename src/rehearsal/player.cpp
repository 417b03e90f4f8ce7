#include <gyrax/handset/decoder.hpp>
#include <gyrax/rehearsal/player.hpp>

#include <fmt/format.h>

#include <algorithm>

namespace gyrax {
namespace {

Device with_names(Device device, const SeatWish& wish) {
  device.named = wish.named;
  return device;
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
      parts_.emplace_back(handset, rig.seats[static_cast<std::size_t>(row)],
                          id_at<HandsetId>(static_cast<std::size_t>(row)), Time{session.length});
  }
  for (const SessionFault& fault : session.faults)
    check(fault.link.empty() ? fault.axis : fault.link, names_of(rig, !fault.link.empty()),
          fault.link.empty() ? "axis" : "link", fault.line);
  if (!problems.empty()) throw SessionError(std::move(problems));
}

std::span<const Reading> Player::until(Time now) {
  readings_.clear();
  for (Part& part : parts_) part.until(now, readings_);
  if (parts_.size() > 1) std::ranges::stable_sort(readings_, {}, &Reading::arrival);
  return readings_;
}

Player::Part::Part(const SessionHandset& handset, const SeatWish& wish, HandsetId id, Time end)
    : handset_(&handset), end_(end), decoder_(id, with_names(handset.track.device, wish)) {}

void Player::Part::until(Time now, std::vector<Reading>& out) {
  const std::vector<InputEvent>& events = handset_->track.events;
  while (stretch_ < handset_->plugged.size()) {
    const auto& [from, to] = handset_->plugged[stretch_];
    if (!plugged_) {
      if (from > now) return;
      decoder_.plugged(from, out);
      plugged_ = true;
    }
    for (; next_ < events.size(); ++next_) {
      const Time at{std::chrono::microseconds(events[next_].time_us)};
      if (at > to) break;
      if (at > now) return;
      decoder_.event(events[next_], at, at, out);
    }
    // A recording that ends says nothing about the plug.
    if (to > now || to >= end_) return;
    decoder_.unplugged(to, out);
    plugged_ = false;
    ++stretch_;
  }
}

}  // namespace gyrax
