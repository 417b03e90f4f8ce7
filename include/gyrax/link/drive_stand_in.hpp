/// Simulated drives and PLCs on their real wire: `gyrax stand-in drive`.
///
/// In: Modbus requests, over TCP or on a pseudo-terminal; lines from whoever plays. Out: answers; what they see, in
/// words. Never: another map of registers than the rig's.
///
///     DriveStandIn drive(rig, link);
///     for (;;) drive.run(20ms);
#pragma once

#include <gyrax/link/stand_in.hpp>
#include <gyrax/rig/rig.hpp>
#include <gyrax/sim/drive.hpp>

#include <memory>
#include <string>
#include <vector>

namespace gyrax {

class DriveStandIn final : public PlayedFarEnd {
 public:
  /// All links of the rig that hang on the same wire as this one, each at its own address.
  /// Errors: std::invalid_argument where the link has no registers; std::runtime_error where its wire cannot be served.
  DriveStandIn(const Rig& rig, LinkId link);
  ~DriveStandIn() override;
  void run(Span span, int waits_for = -1) override;
  /// "cut", "noisy", "mend" of the wire; "hung", "slow", "refuse", "fault", "restart", each with the name of a link
  /// where it is not all of them; "input NAME on", "off" or a number.
  std::string take(const std::string& line) override;
  std::vector<std::string> seen() override;
  std::string moved() override;
  /// Of the link that it was made for.
  const sim::Drive& drive() const noexcept;

 private:
  class Server;
  std::unique_ptr<Server> server_;
};

}  // namespace gyrax
