/// What the payloads of a board's frames say; their bytes are in docs/board.md.
///
/// In: a payload. Out: its numbers, or nullopt where it is malformed; and the way back. Never: a judgement of them.
///
/// Positions count 1/65536 of the channel's unit (their low 32 bits travel), everything else 1/256 of it.
#pragma once

#include <gyrax/wire/channel.hpp>
#include <gyrax/wire/frames.hpp>

#include <optional>
#include <string>
#include <vector>

namespace gyrax::wire {

enum class Refusal : std::uint8_t {
  other_session = 1,
  too_old,
  again,
  malformed,
  no_such_channel,
  is_stopped,
  other_version,
  cannot
};
/// "µs", "steps"; empty where it has none.
const char* unit_of(ChannelKind kind) noexcept;
/// "it belongs to another session".
const char* words_of(Refusal refusal) noexcept;

/// Bits of a channel's status.
inline constexpr std::uint8_t measured = 1, powered = 2, clamped = 4, by_itself = 8, known = 16;
/// Bits of a board's state.
inline constexpr std::uint8_t stopped = 1, ran_late = 2;

struct Greeting {
  std::uint16_t number = 0, max_round_trip_ms = 0;
  std::string_view program;
};
struct Welcome {
  std::uint16_t number = 0;
  std::uint32_t clock_us = 0;
  std::uint8_t max_frame = 0, channels = 0;
  std::string_view name;
};
struct Becomes {
  Loss loss{};
  std::int32_t place = 0;
  std::uint32_t place_speed = 0;
  bool operator==(const Becomes&) const = default;
};
/// What a channel becomes when it hears nothing: "slows down and stays", "goes to 1500 µs at 200 µs/s", "on".
std::string words_of(ChannelKind kind, const Becomes& becomes);
struct ChannelInfo {
  std::uint32_t clock_us = 0;
  std::uint8_t number = 0;
  ChannelKind kind{};
  std::uint8_t status = 0;
  std::int32_t whole_position = 0;  ///< in whole units
  std::int32_t low = 0, high = 0;
  std::uint32_t speed = 0, accel = 0;  ///< 0: not limited
  Becomes becomes;
  std::string_view name;
};
struct SetHead {
  std::uint32_t echo_us = 0, due_us = 0;
  std::uint16_t valid_ms = 0;
  std::uint8_t first = 0, count = 0, first_asked = 0, asked = 0;
};
inline constexpr std::size_t set_head_bytes = 14, channel_bytes = 9, report_head_bytes = 21;
/// Channels that stand side by side, in one frame: rows of a list of numbers.
struct Run {
  std::size_t row = 0, rows = 0;
};
/// The fewest frames that tell, and report, every channel of a rising list of numbers, each of `most_bytes` at
/// most.
std::vector<Run> runs_of(std::span<const std::uint8_t> numbers, std::size_t most_bytes);
/// The longest that a board on a bus takes until its answer begins; twice the slice of the one in firmware/.
inline constexpr double longest_turnaround_s = 0.002;
/// The longest frame that its wire carries in 10 ms, so that a stop never waits for longer; one channel at least.
std::size_t longest_frame(double bytes_per_s) noexcept;
/// Of a whole set or report on the wire.
inline constexpr std::size_t set_bytes(std::size_t channels) {
  return around + set_head_bytes + channels * channel_bytes;
}
inline constexpr std::size_t report_bytes(std::size_t channels) {
  return around + report_head_bytes + channels * channel_bytes;
}

struct SetChannel {
  std::uint8_t mode = 0;
  std::int32_t position = 0, speed = 0;
};
struct ReportHead {
  std::uint32_t clock_us = 0;
  std::uint16_t heard = 0;
  std::uint32_t heard_at_us = 0;
  std::uint8_t state = 0;
  std::uint16_t lost = 0, bad = 0, late = 0, refused = 0;
  std::uint8_t first = 0, count = 0;
};
struct ReportChannel {
  std::uint8_t status = 0;
  std::int32_t position = 0, speed = 0;
};
/// What a near end asks for of the inputs that hands touch.
struct Heed {
  std::uint8_t first = 0, count = 0;  ///< channels
  std::uint8_t most = 1;              ///< in one frame
  std::uint8_t every_ms = 10;
};
struct ReadingsHead {
  std::uint32_t clock_us = 0;
  std::uint16_t heard = 0;
  std::uint32_t heard_at_us = 0;
  std::uint16_t number = 0;     ///< one more with each frame of readings
  std::uint16_t age_100us = 0;  ///< so long before `clock_us` its oldest change was, in 0.1 ms
  std::uint8_t first = 0, count = 0;
};
struct InputReading {
  bool valid = false;
  std::uint8_t changes = 0;  ///< of a key, of 128
  std::int32_t value = 0;    ///< 1/256 unit; an encoder's low bits
};
inline constexpr std::size_t readings_head_bytes = 16, reading_bytes = 5;

/// What a board does besides its channels: it begins, goes on, is cancelled.
enum class Asked : std::uint8_t { begin, go_on, cancel };
/// What has become of that.
enum class Became : std::uint8_t { nothing, under_way, done, failed, cancelled };
struct Message {
  std::uint32_t echo_us = 0;
  std::uint16_t valid_ms = 0;
  std::uint16_t number = 0;  ///< another one each time
  Asked asked{};
  std::string_view words{};  ///< to begin with
};
struct Result {
  std::uint32_t clock_us = 0;
  std::uint16_t number = 0;
  Became became{};
  std::string_view why{};  ///< it failed
};
/// A message is asked about so often.
inline constexpr int message_every_ms = 50;
/// It is cancelled where nobody asks for so long, ms: three times that, or as long as a set is valid.
constexpr std::int64_t message_valid_ms(std::int64_t set_valid_ms) noexcept {
  constexpr std::int64_t least = 3 * message_every_ms, most = 1000;
  return set_valid_ms < least ? least : set_valid_ms > most ? most : set_valid_ms;
}
inline constexpr std::size_t message_head_bytes = 9, longest_message = 40;
inline constexpr std::size_t message_bytes(std::size_t characters) { return around + message_head_bytes + characters; }

struct Refused {
  Kind of{};
  std::uint16_t sequence = 0;
  Refusal why{};
  std::uint32_t clock_us = 0;
};

void write(Writer& out, const Greeting& greeting) noexcept;
void write(Writer& out, std::uint8_t channel, const Becomes& becomes) noexcept;
/// Of a store: the channel's number, its ends, its limits, what it becomes.
void write_store(Writer& out, const ChannelInfo& kept) noexcept;
void write(Writer& out, const SetHead& head) noexcept;
void write(Writer& out, const Heed& heed) noexcept;
void write(Writer& out, const SetChannel& channel) noexcept;
void write(Writer& out, const Message& message) noexcept;

std::optional<Welcome> read_welcome(std::span<const std::uint8_t> payload) noexcept;
std::optional<ChannelInfo> read_channel(std::span<const std::uint8_t> payload) noexcept;
/// The channels follow in `in`, as many as the head says.
std::optional<ReportHead> read_report(Reader& in) noexcept;
ReportChannel read_report_channel(Reader& in) noexcept;
/// The inputs follow in `in`, as many as the head says.
std::optional<ReadingsHead> read_readings(Reader& in) noexcept;
InputReading read_input(Reader& in) noexcept;
std::optional<Message> read_message(std::span<const std::uint8_t> payload) noexcept;
std::optional<Result> read_result(std::span<const std::uint8_t> payload) noexcept;
std::optional<Refused> read_refused(std::span<const std::uint8_t> payload) noexcept;

}  // namespace gyrax::wire
