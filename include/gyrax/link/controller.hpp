/// A link of the kind "controller": one that takes lines of text, words of ISO 6983, over a serial line or TCP.
///
/// In: the engine's frames. Out: reports. Never: a wait; a line for a wire that somebody else has.
#pragma once

#include <gyrax/link/controller_talk.hpp>
#include <gyrax/link/link.hpp>
#include <gyrax/link/link_words.hpp>
#include <gyrax/link/passed_ring.hpp>
#include <gyrax/wire/port.hpp>

#include <array>
#include <string>
#include <vector>

namespace gyrax {

class ControllerLink final : public Link {
 public:
  ControllerLink(const Rig& rig, LinkId link);
  void receive(Time now, std::vector<LinkReport>& reports) override;
  void send(const Frame& frame) override;
  bool told() const noexcept override { return !port_.is_open() || talk_.all_told(); }
  std::optional<std::string> said() override;
  bool passed(Passed& passed) override { return passed_.next(passed); }
  /// From the thread that receives.
  ControllerTalk& talk() noexcept { return talk_; }

 private:
  LinkId link_;
  ControllerTalk talk_;
  wire::Port port_;
  int descriptor_ = -1;  // it was open as
  std::array<std::uint8_t, 4096> room_{};
  Time now_{};
  PassedRing passed_;
  LinkWords words_;
};

/// What a talk has heard, as a report.
LinkReport report_of(const ControllerHeard& heard, LinkId link, Time arrival);

}  // namespace gyrax
