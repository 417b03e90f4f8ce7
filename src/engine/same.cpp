#include <gyrax/engine/same.hpp>

#include <bit>

namespace gyrax {
namespace {

bool alike(double a, double b) noexcept { return std::bit_cast<std::uint64_t>(a) == std::bit_cast<std::uint64_t>(b); }
bool alike(std::uint8_t a, std::uint8_t b) noexcept { return a == b; }
bool alike(const AxisWord& a, const AxisWord& b) noexcept { return a == b; }
bool alike(const AxisStatus& a, const AxisStatus& b) noexcept { return a == b; }

bool alike(const AxisCommand& a, const AxisCommand& b) noexcept {
  return a.mode == b.mode && alike(a.p, b.p) && alike(a.v, b.v) && alike(a.a, b.a) && a.valid_until == b.valid_until;
}

bool alike(const Request& a, const Request& b) noexcept {
  return alike(a.jog, b.jog) && a.rank() == b.rank() && alike(a.accel, b.accel) && alike(a.position, b.position) &&
         alike(a.catch_up, b.catch_up) && a.goal == b.goal && a.by == b.by && a.follower == b.follower &&
         a.waiting_for == b.waiting_for;
}

bool alike(const Frame& a, const Frame& b) noexcept;

template <class T>
bool all_alike(std::span<T> a, std::span<T> b) noexcept {
  bool all = a.size() == b.size();
  for (std::size_t i = 0; all && i < a.size(); ++i) all = alike(a[i], b[i]);
  return all;
}

bool alike(const Frame& a, const Frame& b) noexcept {
  return a.link == b.link && a.sequence == b.sequence && a.sent == b.sent && a.valid_for == b.valid_for &&
         a.due == b.due && a.stop == b.stop && a.order == b.order && all_alike(a.axes, b.axes) &&
         all_alike(a.switches, b.switches);
}

}  // namespace

bool same(const TickOutput& a, const TickOutput& b) noexcept {
  return all_alike(a.commands, b.commands) && all_alike(a.why, b.why) && all_alike(a.switches, b.switches) &&
         all_alike(a.frames, b.frames);
}

bool same(std::span<const Request> a, std::span<const Request> b) noexcept { return all_alike(a, b); }

}  // namespace gyrax
