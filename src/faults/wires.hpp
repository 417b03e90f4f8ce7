// The wires between the engine and its simulated machines, and what spoils them. Private to the faults room.
#pragma once

#include "random.hpp"

#include <gyrax/link/simulated.hpp>

#include <cstdint>
#include <vector>

namespace gyrax {

/// What a wire does to the reports that it carries; sim::WireFault says what it loses altogether.
enum class Spoils : std::uint8_t {
  nothing,
  delays,      ///< each arrives later
  loses,       ///< a share of them, and of the frames
  duplicates,  ///< each arrives twice
  reorders,    ///< two and two the wrong way round
  misnames,    ///< they are said to be of another link
  garbles,     ///< their numbers are none
  complains    ///< they say that something is wrong with the far end
};

class Wires {
 public:
  Wires(const Rig& rig, std::uint64_t seed);

  void spoil(LinkId link, Spoils how, Span delay = {}, double share = 0);
  /// Lets the machines move on, and keeps what they report.
  void advance(Time now);
  /// What has arrived since the last call. Valid until the next call of either.
  std::span<const LinkReport> take(Time now);
  void send(std::span<const Frame> frames);
  SimulatedLinks& machines() { return machines_; }
  const SimulatedLinks& machines() const { return machines_; }

 private:
  struct Wire {
    Spoils spoils = Spoils::nothing;
    Span delay{};
    double share = 0;
  };
  struct Kept {
    LinkReport report;
    std::vector<AxisReport> axes;
    std::vector<InputReport> inputs;
  };
  void keep(const LinkReport& report, Span later);

  SimulatedLinks machines_;
  std::vector<Wire> wires_;  // by LinkId
  std::vector<Kept> kept_;   // on the way
  std::vector<Kept> given_;
  std::vector<LinkReport> taken_;
  Random random_;
};

}  // namespace gyrax
