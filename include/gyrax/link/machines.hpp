/// What stands at the far ends of a rig's links, as a live engine sees it: frames out, reports back.
///
/// In: the engine's frames. Out: the reports since the last tick. Never: a wait.
#pragma once

#include <gyrax/base/link_types.hpp>

#include <span>

namespace gyrax {

class Machines {
 public:
  virtual ~Machines() = default;
  /// What was reported by `now` since the last call. Valid until the next call.
  virtual std::span<const LinkReport> reports(Time now) = 0;
  virtual void send(std::span<const Frame> frames) = 0;
  /// Whether the far ends have been told what was sent last: a wire may have no room yet.
  virtual bool told() const noexcept { return true; }
  /// Readable while there are new reports; -1 where nothing tells.
  virtual int wake_descriptor() const noexcept { return -1; }
};

}  // namespace gyrax
