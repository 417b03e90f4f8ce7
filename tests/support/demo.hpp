// The demo session, rehearsed once for a whole test program.
#pragma once

#include <gyrax/rehearsal/rehearsal.hpp>
#include <gyrax/rehearsal/summary.hpp>

namespace gyrax::test {

struct Demo {
  Session session = load_session("demo/session.toml");
  Rig rig = fit(load_rig("demo/bench.toml"), session.devices());
  Rehearsal done = rehearse(rig, session);
};

inline const Demo& demo() {
  static const Demo made;
  return made;
}

}  // namespace gyrax::test
