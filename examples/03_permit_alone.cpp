// The permit alone, in a loop of somebody else's: your code moves the machine, this says whether it may.
#include <gyrax/permit/permit.hpp>

#include <cstdio>

int main() {
  using gyrax::Cause, gyrax::PermitEvent;
  gyrax::Permit permit(gyrax::default_categories());
  const auto offer = [&](const char* what, PermitEvent event, Cause cause = Cause::none) {
    permit.apply(event, cause);
    std::printf("%-26s %-9s %s\n", what, gyrax::name_of(permit.state()), permit.powered() ? "power on" : "power off");
  };
  offer("enable while stowed", PermitEvent::enable);
  offer("ready", PermitEvent::make_ready);
  offer("enable", PermitEvent::enable);
  offer("enable released", PermitEvent::release, Cause::enable_released);
  offer("an axis runs away", PermitEvent::fault, Cause::following_error);
  offer("enable", PermitEvent::enable);
  offer("at rest", PermitEvent::rest);
  offer("ready", PermitEvent::make_ready);
  offer("reset", PermitEvent::reset);
}
