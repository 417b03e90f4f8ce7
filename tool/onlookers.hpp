// Whoever wants to see what goes over a running program's wires, and who has a wire. Each wire of a kind that has bytes
// has a socket of its own, with JSON lines (docs/json.md, "links"); a second program finds the first one there.
#pragma once

#include <gyrax/link/board_ear.hpp>
#include <gyrax/rig/rig.hpp>

#include <nlohmann/json.hpp>

#include <functional>
#include <memory>
#include <optional>
#include <stdexcept>
#include <string>
#include <vector>

namespace gyrax::tool {

/// The links of a rig that have a wire: its boards, or those of another kind.
std::vector<LinkId> wired_links(const Rig& rig, const std::string& kind = "board");

/// A link's state as `gyrax links --json` tells it.
struct WireState {
  const Rig& rig;
  LinkId link;
  const BoardSeen& seen;
  double t_s = 0;
  int pid = 0;  ///< of the program that has the wire; 0: only this one
};
nlohmann::ordered_json wire_json(const WireState& state);
nlohmann::ordered_json frame_json(const std::string& link, double t_s, const BoardEar::Heard& heard);

/// Another program has a wire.
struct WireTaken : std::runtime_error {
  using std::runtime_error::runtime_error;
};

/// The program's own side: it has the wires of its rig while this lives.
class Onlookers {
 public:
  /// Errors: WireTaken where another program has one of them.
  explicit Onlookers(const Rig& rig);
  /// Why nobody can look on; empty: they can.
  const std::string& trouble() const noexcept { return trouble_; }
  ~Onlookers();
  Onlookers(const Onlookers&) = delete;
  Onlookers& operator=(const Onlookers&) = delete;
  /// Hears what passed, and tells whoever looks on. `next` gives what passed on a link, as RigLinks::passed does.
  void look(double now_s, const std::function<bool(LinkId, Passed&)>& next);

 private:
  struct Claim;
  struct Wire;
  const Rig& rig_;
  std::vector<std::unique_ptr<Wire>> wires_;
  std::vector<std::unique_ptr<Claim>> claims_;
  std::string trouble_;
};

/// Another program's side: its lines, as they come.
class OtherProgram {
 public:
  /// nullopt where nobody has that link's wire.
  static std::optional<OtherProgram> of(const LinkInfo& link, bool with_frames);
  OtherProgram(OtherProgram&& other) noexcept;
  OtherProgram& operator=(OtherProgram&&) = delete;
  ~OtherProgram();
  int pid() const noexcept { return pid_; }
  int descriptor() const noexcept { return socket_; }
  /// Whole lines that came; `ended` once it has gone.
  std::vector<std::string> lines();
  bool ended() const noexcept { return ended_; }

 private:
  OtherProgram(int socket, int pid) : socket_(socket), pid_(pid) {}
  int socket_, pid_;
  bool ended_ = false;
  std::string text_;
};

}  // namespace gyrax::tool
