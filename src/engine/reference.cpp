#include "reference.hpp"

#include <gyrax/engine/same.hpp>

namespace gyrax::detail {

Reference::Reference(const Setup& setup) : parts_(setup, Recompute::everything), out_(setup), told_(events) {}

bool Reference::agrees(const TickInput& in, const EngineParts& parts, const TickOutput& out) noexcept {
  run_tick(parts_, in, out_.view());
  bool all = same(parts.requests, parts_.requests) && same(out, out_.view());
  for (Event event, again; told_.read(event);) {
    all = all && out_.events.read(again) && event == again;
    out.events.write(event);
  }
  Event more;
  return all && !out_.events.read(more);
}

}  // namespace gyrax::detail
