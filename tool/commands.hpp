// The tool's verbs. Each parses nothing and computes nothing: it calls the library, prints, and gives an exit code.
#pragma once

#include <string>

namespace gyrax::tool {

/// 0 done, 1 the thing checked did not hold, 2 wrong usage or input, 3 the outside world failed.
enum Exit : int { done = 0, did_not_hold = 1, wrong_input = 2, world_failed = 3 };

struct RehearseOptions {
  std::string rig, session;
  std::string csv, plot;  ///< where to; empty: not
  std::string span;       ///< of the plot: "FROM:TO" in s; empty: all
  bool json = false;
};

int check(const std::string& rig, bool as_json);
int rehearse(const RehearseOptions& options);
/// Rehearses the demo rig with the demo session and leaves its plot and signals in a folder.
int demo(const std::string& folder);

}  // namespace gyrax::tool
