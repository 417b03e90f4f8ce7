// A consumer of the core alone: a permit, and an axis that comes to rest at the end of its travel.
#include <gyrax/motion/axis.hpp>
#include <gyrax/permit/permit.hpp>

#include <cstdio>

int main() {
  gyrax::Permit permit(gyrax::default_categories());
  permit.apply(gyrax::PermitEvent::make_ready, gyrax::Cause::none);
  gyrax::AxisMotion x(*gyrax::AxisLimits::make(0, 100, {50, 200, 2000, 400, 8000}));
  x.jog(50);
  for (int i = 0; i < 3000; ++i) x.advance(0.002);
  std::printf("%s %.3f\n", gyrax::name_of(permit.state()), x.state().p);
}
