// A session of the demo, rehearsed, with its axes by name.
#pragma once

#include <gyrax/rehearsal/rehearsal.hpp>

#include <stdexcept>
#include <string>

namespace gyrax::test {

struct Rehearsed {
  Rehearsed(const std::string& rig_path, const std::string& session_path)
      : session(load_session(session_path)),
        rig(fit(load_rig(rig_path), session.devices())),
        done(rehearse(rig, session)) {}

  Session session;
  Rig rig;
  Rehearsal done;

  const AxisTrace& axis(const std::string& name) const {
    for (std::size_t a = 0; a < rig.axes.size(); ++a)
      if (rig.axes[a].name == name) return done.trace.axes[a];
    throw std::invalid_argument(name);
  }
  /// An axis at a time in seconds.
  const AxisSample& at(const std::string& name, double s) const {
    return axis(name)[done.trace.tick_of(Time{from_seconds(s)})];
  }
};

}  // namespace gyrax::test
