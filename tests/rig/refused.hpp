// A sound rig in which one thing is something else, and what is said of that.
#pragma once

#include "support/rigs.hpp"

#include <gyrax/files/problem.hpp>

#include <doctest/doctest.h>

#include <string>

namespace gyrax::test {

struct Refused {
  const char* from;
  const char* to;
  const char* wrong;  ///< stands in the message
};

inline void check_refused(const std::string& sound, const Refused& one) {
  CAPTURE(one.from);
  CAPTURE(one.to);
  try {
    rig(changed(sound, one.from, one.to));
    FAIL_CHECK("it passes");
  } catch (const RigError& error) {
    const std::string what = error.what();
    CAPTURE(what);
    CHECK(what.find(one.wrong) != std::string::npos);
  }
}

}  // namespace gyrax::test
