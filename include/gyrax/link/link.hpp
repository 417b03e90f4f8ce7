/// One link: the wire to what moves, and what is spoken on it.
///
/// In: the frames of one link. Out: its reports. Never: a wait.
///
/// A new kind is a class of this, with its keys in src/rig/link_kinds.cpp and a line in src/link/kinds.cpp.
#pragma once

#include <gyrax/link/machines.hpp>
#include <gyrax/rig/rig.hpp>

#include <memory>
#include <optional>
#include <span>
#include <string>
#include <vector>

namespace gyrax {

/// Bytes that went over a link's wire.
struct Passed {
  Time at{};
  bool out = false;  ///< to the far end; otherwise from it
  std::span<const std::uint8_t> bytes;
};

class Link {
 public:
  virtual ~Link() = default;
  /// Adds what was reported by `now` since the last call. What it points to is valid until the next call.
  virtual void receive(Time now, std::vector<LinkReport>& reports) = 0;
  virtual void send(const Frame& frame) = 0;
  /// Whether its far end has been told what was sent last, or cannot be told.
  virtual bool told() const noexcept { return true; }
  /// The next words for a person: what was opened, what does not agree, what the far end prints. From any one thread.
  virtual std::optional<std::string> said() { return std::nullopt; }
  /// The next bytes that went over its wire, oldest first; false where there are none. Valid until the next call. From
  /// any one thread; what nobody asks for in time is left out.
  virtual bool passed(Passed&) { return false; }
};

/// The links of a rig, each of its own kind, side by side.
class RigLinks final : public Machines {
 public:
  /// Errors: std::runtime_error where a far end cannot be reached at all.
  explicit RigLinks(const Rig& rig);
  /// For links of one's own; by LinkId.
  explicit RigLinks(std::vector<std::unique_ptr<Link>> links);
  std::span<const LinkReport> reports(Time now) override;
  void send(std::span<const Frame> frames) override;
  bool told() const noexcept override;
  /// The next words of any of them. From any one thread.
  std::optional<std::string> said();
  bool passed(LinkId link, Passed& passed) { return links_[index(link)]->passed(passed); }

 private:
  std::vector<std::unique_ptr<Link>> links_;
  std::vector<LinkReport> reports_;
};

}  // namespace gyrax
