/// Asks the kernel to let this thread run on time.
///
///     const RealTime got = take_real_time();
///     if (!got.priority) fmt::print("{}\n", got.why_no_priority);
#pragma once

#include <string>

namespace gyrax {

struct RealTime {
  bool priority = false;                       ///< SCHED_FIFO, above everything that shares its time
  bool memory = false;                         ///< locked: no page fault can delay a tick
  std::string why_no_priority, why_no_memory;  ///< for a person: what is missing, and what would give it
};

/// For the calling thread (priority) and its process (memory). Never fails: what is not allowed is said.
RealTime take_real_time();

}  // namespace gyrax
