// What must not compile. Each refusal has beside it what may be written instead, so that it is not refused for another
// reason.
#include <gyrax/engine/engine.hpp>

#include <doctest/doctest.h>

#include <chrono>
#include <concepts>
#include <type_traits>
#include <utility>

namespace gyrax {
namespace {

template <class To, class From>
concept becomes = std::is_convertible_v<From, To>;
template <class A, class B>
concept compares = requires(A a, B b) {
  a == b;
};
template <class A, class B>
concept adds = requires(A a, B b) {
  a + b;
};
template <class E, class Id>
concept tells_permit_of = requires(const E& engine, Id id) {
  engine.permit(id);
};
template <class E, class Id>
concept tells_motion_of = requires(const E& engine, Id id) {
  engine.motion(id);
};
template <class P>
concept can_be_told = requires(P&& permit) {
  permit.apply(PermitEvent::rest, Cause::none);
};
template <class M>
concept can_be_moved = requires(M&& motion) {
  motion.jog(1.0);
};
template <class T>
concept counts_rows = requires(T id) {
  index(id);
};
template <class Clock>
concept tells_time = requires {
  Clock::now();
};

// An identity is of one table, and neither a number nor made of one by chance.
static_assert(becomes<AxisId, AxisId> && !becomes<AxisId, ZoneId> && !becomes<AxisId, int> && !becomes<int, AxisId>);
static_assert(compares<SlotId, SlotId> && !compares<SlotId, BindingId> && !compares<AxisId, CoordinateId> &&
              !compares<AxisId, int>);
static_assert(counts_rows<AxisId> && !counts_rows<int>);
static_assert(tells_permit_of<Engine, ZoneId> && !tells_permit_of<Engine, AxisId> && !tells_permit_of<Engine, int>);
static_assert(tells_motion_of<Engine, AxisId> && !tells_motion_of<Engine, ZoneId>);

// A time is no number of anything, no span, and of no clock that the core could read.
static_assert(becomes<Span, std::chrono::milliseconds> && !becomes<Span, double> && !becomes<Span, int>);
static_assert(!becomes<Span, std::chrono::duration<double>>);
static_assert(becomes<Time, Time> && !becomes<Time, Span> && !becomes<Time, std::chrono::steady_clock::time_point>);
static_assert(adds<Time, Span> && !adds<Time, Time>);
static_assert(tells_time<std::chrono::steady_clock> && !tells_time<EngineClock>);

// What has to be valid is made by what checks it.
static_assert(std::copyable<AxisLimits> && !std::default_initializable<AxisLimits> &&
              !std::constructible_from<AxisLimits, double, double, MotionLimits>);
static_assert(std::copyable<Calibration> && !std::default_initializable<Calibration>);
static_assert(std::copyable<ServoMap> && !std::default_initializable<ServoMap>);
static_assert(!std::constructible_from<Curve, double>);

// Whoever looks at an engine cannot turn it; and its output stays where it points to.
static_assert(can_be_told<Permit&> && !can_be_told<decltype(std::declval<Engine&>().permit(ZoneId{}))>);
static_assert(can_be_moved<AxisMotion&> && !can_be_moved<decltype(std::declval<Engine&>().motion(AxisId{}))>);
static_assert(std::constructible_from<Engine, const Setup&> && !becomes<Engine, const Setup&>);
static_assert(std::constructible_from<TickBuffers, const Setup&> && !std::copy_constructible<TickBuffers> &&
              !std::movable<TickBuffers>);

// A tick does not throw.
static_assert(noexcept(std::declval<Engine&>().tick(std::declval<const TickInput&>(), std::declval<TickOutput&>())));

}  // namespace

TEST_CASE("What must not compile does not (told when this file is compiled)") { CHECK_FALSE(becomes<AxisId, ZoneId>); }

}  // namespace gyrax
