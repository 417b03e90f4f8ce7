/// Boards that take turns on one two-wire bus (half duplex): only the near end begins, and a board answers in the slot
/// that follows.
///
/// In: the boards' near ends; bytes that came. Out: the next frame of one of them. Never: a frame while an answer is
/// due; two frames of one board in a row while another one waits.
///
///     BoardBus bus(11'520);
///     bus.add(head.talk());
///     bus.add(table.talk());
///     bus.hear(now);                            // after the talks have heard what came
///     const BoardBus::Next next = bus.next(now);
///     wire.write(next.bytes);
#pragma once

#include <gyrax/link/board_talk.hpp>

#include <array>
#include <cstddef>
#include <cstdint>
#include <span>
#include <vector>

namespace gyrax {

class BoardBus {
 public:
  explicit BoardBus(double bytes_per_s) noexcept : bytes_per_s_(bytes_per_s) {}
  /// It has to outlive the bus.
  void add(BoardTalk& talk) { talks_.push_back(&talk); }
  std::size_t boards() const noexcept { return talks_.size(); }

  /// Ends the slot under way, where its board has answered or the time for that is over.
  void hear(Time now) noexcept;
  struct Next {
    std::size_t board = 0;  ///< in the order of add()
    std::span<const std::uint8_t> bytes;
  };
  /// A frame at most; none while an answer is due. Valid until the next call.
  Next next(Time now);
  /// All boards stop by this category, before anything else is said to any of them: told three times, and not answered.
  /// Each is greeted anew afterwards.
  void stop(std::uint8_t category) noexcept;

 private:
  double bytes_per_s_;
  std::vector<BoardTalk*> talks_;
  std::size_t last_ = 0;
  bool open_ = false;
  Time until_{};
  std::uint64_t heard_then_ = 0;  // of the slot's board, as the slot began
  std::uint8_t category_ = 0;
  int stops_ = 0;  // that are still to be told
  std::uint16_t sequence_ = 0;
  std::array<std::uint8_t, wire::max_frame> bytes_{};
};

}  // namespace gyrax
