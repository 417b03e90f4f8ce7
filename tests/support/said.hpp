// What events tell of a rig's actions.
#pragma once

#include <gyrax/rig/words.hpp>
#include <gyrax/testing/stand.hpp>

#include <string>

namespace gyrax::test {

/// A line for each event of an action, in their order.
inline std::string said_of_actions(const Rig& rig, const testing::Stand& stand) {
  std::string all;
  for (const Event& event : stand.events())
    if (event.action != no<ActionId>) all += say(rig, event) + "\n";
  return all;
}

}  // namespace gyrax::test
