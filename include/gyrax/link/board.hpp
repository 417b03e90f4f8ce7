/// A link of the kind "board": a microcontroller that speaks the frames of docs/board.md.
///
/// In: the engine's frames; bytes that came. Out: bytes to send; reports. Never: a wait; a set before the board agrees
/// with the rig.
///
/// BoardNear is all of it but the wire; BoardLink has a wire of this machine as well.
///
///     BoardNear near(rig, link, 7);
///     near.hear(now, bytes, reports);
///     near.tell(frame);
///     wire.write(near.next(now));
#pragma once

#include <gyrax/link/board_bus.hpp>
#include <gyrax/link/board_talk.hpp>
#include <gyrax/link/link.hpp>
#include <gyrax/link/link_words.hpp>
#include <gyrax/link/passed_ring.hpp>
#include <gyrax/wire/port.hpp>

#include <array>
#include <map>
#include <memory>
#include <optional>
#include <string>
#include <vector>

namespace gyrax {

/// What a rig says of a board: its channels with their ends in the board's own units.
BoardSetup board_setup(const Rig& rig, LinkId link);

/// What hangs where, as a Markdown table for each board, for whoever solders: channel, pin, what it drives, its unit,
/// its ends, how fast, what it becomes when the board hears nothing; and what it takes. Empty where no link is a board.
std::string wiring_list(const Rig& rig);

/// Bits of LinkReport::faults.
inline constexpr std::uint32_t board_stopped_by_itself = 1, board_began_anew = 2, board_ran_late = 4, board_stopped = 8;

class BoardNear {
 public:
  BoardNear(const Rig& rig, LinkId link, std::uint64_t seed);

  /// Takes what came by `now`; adds a report where there is a new one, valid until the next call.
  void hear(Time now, std::span<const std::uint8_t> bytes, std::vector<LinkReport>& reports);
  void tell(const Frame& frame);
  std::span<const std::uint8_t> next(Time now) { return talk_.next(now); }
  BoardTalk& talk() noexcept { return talk_; }
  const BoardTalk& talk() const noexcept { return talk_; }

 private:
  /// An axis or a switch of the link's frames, and its row in the talk.
  struct Row {
    std::size_t row = 0;
    wire::ChannelKind kind{};
    std::int64_t steps = 1, per_nano = 1;  // of a stepper
    double scale = 1, offset = 0;          // a position of its channel stands for offset + scale · position
    bool measured = false;
  };
  std::uint32_t faults(const BoardReport& report) noexcept;

  LinkId link_;
  BoardTalk talk_;
  std::vector<Row> axes_, switches_;
  std::vector<ChannelTold> told_;
  std::vector<AxisReport> reported_;
  struct InputRow {
    InputId input{};
    std::size_t row = 0;
    InputInfo info;
  };
  std::vector<InputRow> inputs_;
  std::vector<InputReport> input_reports_;
  std::vector<std::string> messages_;  // by ActionId
  std::optional<ActionOrder> order_;
  std::vector<ActionReport> results_;
};

class BoardLink;

/// The wire of one board, or of several that take turns on it.
class BoardWire {
 public:
  BoardWire(const wire::Place& place, bool half_duplex);
  /// Both have to outlive it. From the engine's thread, as all but port().
  void add(BoardLink& link, BoardTalk& talk);
  const wire::Port& port() const noexcept { return port_; }
  /// What has come: the same for each link, once. `seen`: a count of the link's own, 0 at first.
  std::span<const std::uint8_t> came(std::uint64_t& seen) noexcept;
  /// Sends what is due, after every link has heard what came.
  void send(Time now);

 private:
  bool half_duplex_;
  BoardBus bus_;
  std::vector<BoardTalk*> talks_;
  std::vector<BoardLink*> links_;
  wire::Port port_;
  std::array<std::uint8_t, 4096> room_{};
  std::span<const std::uint8_t> came_;
  std::uint64_t reads_ = 0;
};
/// The wires of a rig's boards, by their places; those that take turns share one.
using BoardWires = std::map<std::string, std::shared_ptr<BoardWire>>;
std::shared_ptr<BoardWire> board_wire(const LinkInfo& link, BoardWires& wires);

class BoardLink final : public Link {
 public:
  /// On a wire of its own.
  BoardLink(const Rig& rig, LinkId link);
  BoardLink(const Rig& rig, LinkId link, std::shared_ptr<BoardWire> wire);
  void receive(Time now, std::vector<LinkReport>& reports) override;
  void send(const Frame& frame) override;
  bool told() const noexcept override { return !wire_->port().is_open() || near_.talk().all_told(); }
  std::optional<std::string> said() override;
  bool passed(Passed& passed) override { return passed_.next(passed); }

 private:
  friend BoardWire;
  BoardNear near_;
  LinkWords words_;
  std::shared_ptr<BoardWire> wire_;
  std::uint64_t seen_ = 0;  // reads of the wire
  Time now_{};
  PassedRing passed_;
};

}  // namespace gyrax
