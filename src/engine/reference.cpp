#include "reference.hpp"

#include <bit>

namespace gyrax::detail {
namespace {

bool same(double a, double b) noexcept { return std::bit_cast<std::uint64_t>(a) == std::bit_cast<std::uint64_t>(b); }

bool same(const AxisCommand& a, const AxisCommand& b) noexcept {
  return a.mode == b.mode && same(a.p, b.p) && same(a.v, b.v) && same(a.a, b.a) && a.valid_until == b.valid_until;
}

bool same(const Frame& a, const Frame& b) noexcept {
  bool all = a.link == b.link && a.sequence == b.sequence && a.sent == b.sent && a.valid_for == b.valid_for &&
             a.due == b.due && a.stop == b.stop && a.axes.size() == b.axes.size();
  for (std::size_t i = 0; all && i < a.axes.size(); ++i) all = a.axes[i] == b.axes[i];
  for (std::size_t i = 0; all && i < a.switches.size(); ++i) all = a.switches[i] == b.switches[i];
  return all;
}

bool same(const Request& a, const Request& b) noexcept {
  return same(a.jog, b.jog) && a.rank() == b.rank() && same(a.accel, b.accel) && same(a.position, b.position) &&
         same(a.catch_up, b.catch_up) && a.goal == b.goal && a.by == b.by && a.follower == b.follower &&
         a.waiting_for == b.waiting_for;
}

bool same(const AxisStatus& a, const AxisStatus& b) noexcept { return a == b; }
bool same(std::uint8_t a, std::uint8_t b) noexcept { return a == b; }

template <class T>
bool all_same(std::span<T> a, std::span<T> b) noexcept {
  bool all = a.size() == b.size();
  for (std::size_t i = 0; all && i < a.size(); ++i) all = same(a[i], b[i]);
  return all;
}

}  // namespace

Reference::Reference(const Setup& setup) : parts_(setup, Recompute::everything), out_(setup), told_(256) {}

bool Reference::agrees(const TickInput& in, const EngineParts& parts, const TickOutput& out) noexcept {
  run_tick(parts_, in, out_.view());
  bool all = all_same<const Request>(parts.requests, parts_.requests) &&
             all_same<AxisCommand>(out.commands, out_.commands) && all_same<AxisStatus>(out.why, out_.why) &&
             all_same<std::uint8_t>(out.switches, out_.switches) && all_same<const Frame>(out.frames, out_.frames);
  for (Event event, again; told_.read(event);) {
    all = all && out_.events.read(again) && event == again;
    out.events.write(event);
  }
  Event more;
  return all && !out_.events.read(more);
}

}  // namespace gyrax::detail
