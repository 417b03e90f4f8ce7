/// What goes over a board's wire, for a person who looks on: who is there, how well it goes, each frame in words.
///
/// In: the bytes that went over the wire, both ways, with their times. Out: what they say of the board. Never: a byte
/// of its own; a look at either end but through the wire.
///
///     BoardEar ear;
///     ear.hear({now, true, bytes}, [&](const BoardEar::Heard& heard) { put(heard.words()); });
///     ear.seen().name
#pragma once

#include <gyrax/base/time.hpp>
#include <gyrax/link/link.hpp>
#include <gyrax/wire/board.hpp>

#include <array>
#include <functional>
#include <optional>
#include <string>
#include <vector>

namespace gyrax {

/// A channel as the board tells it, in its own unit.
struct FarChannel {
  std::uint8_t number = 0;
  wire::ChannelKind kind{};
  std::string pin;  ///< its name of it
  double low = 0, high = 0;
  double speed = 0, accel = 0;  ///< a second, and a second each second; 0: not limited
  wire::Becomes becomes;
  std::uint8_t status = 0;    ///< wire::measured and so on
  std::int64_t position = 0;  ///< 1/65536 of its unit
};

/// Since it listens.
struct BoardSeen {
  std::string name;  ///< empty: nobody answered yet
  std::uint8_t version = 0, channel_count = 0, longest_frame = 0;
  std::uint32_t session = 0;
  std::uint64_t sessions = 0, sent = 0, heard = 0;                                 ///< frames
  std::uint64_t lost_there = 0, bad_there = 0, late_there = 0, refused_there = 0;  ///< as it counts them
  std::uint64_t bad_here = 0;                                                      ///< frames that did not hold
  std::uint64_t sent_bytes = 0, heard_bytes = 0;
  double sent_per_s = 0, heard_per_s = 0;  ///< bytes, of the last whole second
  std::uint64_t answers = 0;               ///< whose time is known
  Span last_round_trip{}, shortest_round_trip{}, longest_round_trip{};
  Time answered{};                   ///< the last time that it was heard
  std::vector<FarChannel> channels;  ///< that were asked for, by rising number
};

class BoardEar {
 public:
  /// `address`: of the board that counts, where several are on the wire; 0: whoever speaks.
  explicit BoardEar(std::uint8_t address = 0) noexcept : address_(address) {}
  struct Heard {
    const Passed& passed;
    const wire::Frame& frame;
    const BoardEar& ear;
    /// What it says, without its head: "channel 3"; "0 follow 1500.0 +20.0, valid 60 ms".
    std::string words() const;
  };
  /// Each whole frame in it is told to `each`, where there is one.
  void hear(const Passed& passed, const std::function<void(const Heard&)>& each = nullptr);
  const BoardSeen& seen() const noexcept { return seen_; }

 private:
  void take_out(const Passed& passed, const wire::Frame& frame);
  void take_in(const Passed& passed, const wire::Frame& frame);
  void take_report(const wire::Frame& frame, Time at);
  void answered(Span round_trip);
  void count_bytes(const Passed& passed);
  FarChannel& channel(std::uint8_t number);
  std::int64_t whole(std::uint8_t number, std::int32_t low_bits) const;

  std::uint8_t address_;
  BoardSeen seen_;
  wire::Receiver out_, in_;
  std::array<Time, 64> sent_at_{};  // by sequence
  Time asked_at_{}, second_began_{};
  std::uint64_t sent_bytes_then_ = 0, heard_bytes_then_ = 0;
  std::array<std::uint16_t, 4> last_counts_{};
};

/// Asks who is at the far end, without moving anything: greets, then asks for every channel, again and again.
///
/// In: bytes that came. Out: bytes to send. Never: a set, an assign, a stop; a store that nobody asked for.
class BoardSurvey {
 public:
  struct Setup {
    std::uint8_t address = 1;
    double bytes_per_s = 0;  ///< of its wire; 0: nothing is paced
    std::uint64_t seed = 0;  ///< of its session's number; another one each time
  };
  explicit BoardSurvey(const Setup& setup);
  void hear(Time now, std::span<const std::uint8_t> bytes);
  /// A frame at most. Valid until the next call.
  std::span<const std::uint8_t> next(Time now);
  /// How often every channel was asked for and told.
  std::uint64_t rounds() const noexcept { return rounds_; }
  /// From now on the board is asked to keep these ends, in 1/256 of the channel's unit, beyond its next power-up, with
  /// the other limits that it told. After a round.
  void store(std::uint8_t channel, std::int32_t low, std::int32_t high);
  /// What it answered: empty: it keeps them; otherwise why not. nullopt: nothing yet.
  const std::optional<std::string>& stored() const noexcept { return stored_; }

 private:
  void take(const wire::Frame& frame);
  void take_channel(wire::ChannelInfo info);

  Setup setup_;
  wire::Receiver in_;
  std::array<std::uint8_t, wire::max_frame> bytes_{};
  std::uint16_t number_ = 0, sequence_ = 0;
  std::uint32_t session_ = 0;
  std::uint8_t channels_ = 0, channel_ = 0;
  std::vector<wire::ChannelInfo> told_;  // by number, without their names
  std::optional<wire::ChannelInfo> to_store_;
  std::optional<std::string> stored_;
  bool waits_ = false;
  int tries_ = 0;
  std::uint64_t rounds_ = 0;
  Time asked_at_{}, free_at_{};
};

}  // namespace gyrax
