// The motion room by itself: one axis is jogged into the end of its travel, stepped back, and asked how long things
// take.
#include <gyrax/motion/axis.hpp>

#include <cstdio>

int main() {
  using namespace gyrax;
  const MotionLimits limits{.speed = 180, .accel = 900, .jerk = 9000, .decel = 1400, .decel_jerk = 20000};
  AxisMotion x(*AxisLimits::make(0, 420, limits));
  constexpr double tick_s = 0.002;

  x.restart(380);
  x.jog(180);  // mm/s; call it again whenever the hands change their mind
  for (int tick = 0; tick <= 300; ++tick, x.advance(tick_s))
    if (tick % 50 == 0)
      std::printf("%.1f s  %7.3f mm  %6.2f mm/s  %7.1f mm/s²\n", tick * tick_s, x.state().p, x.state().v, x.state().a);
  std::printf("at the end: %s\n", x.blocked_high() ? "yes, and held there" : "no");

  for (int i = 0; i < 3; ++i) x.step(to_nano(-0.05));  // whole increments, exact in nanometres
  x.settle();
  while (x.has_goal()) x.advance(tick_s);
  std::printf("after three steps of -0.05: %.9f mm\n", x.state().p);

  const StopReach stop = stop_reach({0, 180, 0}, limits);
  std::printf("a stop from full speed takes %.0f ms and %.2f mm, full travel %.3f s\n", stop.time_s * 1e3,
              stop.distance, shortest_time({0, 0, 0}, 420, limits));
}
