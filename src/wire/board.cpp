#include <gyrax/wire/board.hpp>

#include <fmt/format.h>

namespace gyrax::wire {

const char* name_of(ChannelKind kind) noexcept {
  switch (kind) {
    case ChannelKind::servo: return "servo";
    case ChannelKind::motor: return "motor";
    case ChannelKind::stepper: return "stepper";
    case ChannelKind::on_off: return "switch";
    case ChannelKind::digital: return "digital input";
    case ChannelKind::analog: return "analogue input";
    case ChannelKind::encoder: return "encoder";
  }
  return "kind that this program does not know";
}

const char* name_of(Loss loss) noexcept {
  switch (loss) {
    case Loss::stay: return "stay";
    case Loss::limp: return "limp";
    case Loss::place: return "place";
    case Loss::off: return "off";
  }
  return "?";
}

const char* unit_of(ChannelKind kind) noexcept {
  switch (kind) {
    case ChannelKind::servo: return "µs";
    case ChannelKind::stepper: return "steps";
    default: return "";
  }
}

std::string words_of(ChannelKind kind, const Becomes& becomes) {
  constexpr double q8 = 256;
  const bool is_switch = kind == ChannelKind::on_off;
  switch (becomes.loss) {
    case Loss::stay: return is_switch ? "as it is" : "slows down and stays";
    case Loss::limp: return is_switch ? "off" : "no power at once";
    case Loss::off: return is_switch ? "off" : "slows down, then no power";
    case Loss::place: break;
  }
  if (is_switch) return becomes.place != 0 ? "on" : "off";
  return fmt::format("goes to {:g} {} at {:g} {}/s", becomes.place / q8, unit_of(kind), becomes.place_speed / q8,
                     unit_of(kind));
}

const char* words_of(Refusal refusal) noexcept {
  switch (refusal) {
    case Refusal::other_session: return "it belongs to another session";
    case Refusal::too_old: return "it was too long on its way";
    case Refusal::again: return "it came again, or after a newer one";
    case Refusal::malformed: return "its payload is malformed";
    case Refusal::no_such_channel: return "there is no such channel";
    case Refusal::is_stopped: return "the board was told to stop";
    case Refusal::other_version: return "the board speaks another version";
    case Refusal::cannot: return "the board cannot do that";
  }
  return "the board does not say why";
}

std::size_t longest_frame(double bytes_per_s) noexcept {
  constexpr double longest_s = 0.010;
  constexpr std::size_t least = report_bytes(1);
  if (!(bytes_per_s > 0) || bytes_per_s * longest_s >= max_frame) return max_frame;
  const auto carried = static_cast<std::size_t>(bytes_per_s * longest_s);
  return carried > least ? carried : least;
}

std::vector<Run> runs_of(std::span<const std::uint8_t> numbers, std::size_t most_bytes) {
  std::vector<Run> runs;
  for (std::size_t row = 0; row < numbers.size(); ++row) {
    const bool beside = row > 0 && numbers[row] == numbers[row - 1] + 1;
    if (beside && report_bytes(runs.back().rows + 1) <= most_bytes)
      ++runs.back().rows;
    else
      runs.push_back({row, 1});
  }
  return runs;
}

void write(Writer& out, const Greeting& greeting) noexcept {
  out.u16(greeting.number);
  out.u16(greeting.max_round_trip_ms);
  out.text(greeting.program);
}

void write(Writer& out, std::uint8_t channel, const Becomes& becomes) noexcept {
  out.u8(channel);
  out.u8(static_cast<std::uint8_t>(becomes.loss));
  out.i32(becomes.place);
  out.u32(becomes.place_speed);
}

void write_store(Writer& out, const ChannelInfo& kept) noexcept {
  out.u8(kept.number);
  out.i32(kept.low);
  out.i32(kept.high);
  out.u32(kept.speed);
  out.u32(kept.accel);
  out.u8(static_cast<std::uint8_t>(kept.becomes.loss));
  out.i32(kept.becomes.place);
  out.u32(kept.becomes.place_speed);
}

void write(Writer& out, const SetHead& head) noexcept {
  out.u32(head.echo_us);
  out.u32(head.due_us);
  out.u16(head.valid_ms);
  out.u8(head.first);
  out.u8(head.count);
  out.u8(head.first_asked);
  out.u8(head.asked);
}

void write(Writer& out, const Heed& heed) noexcept {
  out.u8(heed.first);
  out.u8(heed.count);
  out.u8(heed.most);
  out.u8(heed.every_ms);
}

void write(Writer& out, const SetChannel& channel) noexcept {
  // All at once: there are up to 64 of them a hundred times a second.
  if (out.size + channel_bytes > out.bytes.size()) {
    out.whole = false;
    return;
  }
  std::uint8_t* const at = out.bytes.data() + out.size;
  const auto position = static_cast<std::uint32_t>(channel.position), speed = static_cast<std::uint32_t>(channel.speed);
  const std::uint64_t both = position | std::uint64_t{speed} << 32;
  at[0] = channel.mode;
  for (int i = 0; i < 8; ++i) at[1 + i] = static_cast<std::uint8_t>(both >> (8 * i));
  out.size += channel_bytes;
}

std::optional<Welcome> read_welcome(std::span<const std::uint8_t> payload) noexcept {
  Reader in{payload};
  Welcome all;
  all.number = in.u16();
  all.clock_us = in.u32();
  all.max_frame = in.u8();
  all.channels = in.u8();
  if (!in.whole || all.channels > 64) return std::nullopt;
  all.name = in.text();
  return all;
}

std::optional<ChannelInfo> read_channel(std::span<const std::uint8_t> payload) noexcept {
  Reader in{payload};
  ChannelInfo all;
  all.clock_us = in.u32();
  all.number = in.u8();
  all.kind = static_cast<ChannelKind>(in.u8());
  all.status = in.u8();
  all.whole_position = in.i32();
  all.low = in.i32();
  all.high = in.i32();
  all.speed = in.u32();
  all.accel = in.u32();
  all.becomes.loss = static_cast<Loss>(in.u8());
  all.becomes.place = in.i32();
  all.becomes.place_speed = in.u32();
  if (!in.whole) return std::nullopt;
  all.name = in.text();
  return all;
}

std::optional<ReportHead> read_report(Reader& in) noexcept {
  ReportHead all;
  all.clock_us = in.u32();
  all.heard = in.u16();
  all.heard_at_us = in.u32();
  all.state = in.u8();
  all.lost = in.u16();
  all.bad = in.u16();
  all.late = in.u16();
  all.refused = in.u16();
  all.first = in.u8();
  all.count = in.u8();
  if (!in.whole || in.left.size() != all.count * channel_bytes) return std::nullopt;
  return all;
}

ReportChannel read_report_channel(Reader& in) noexcept {
  ReportChannel all;
  all.status = in.u8();
  all.position = in.i32();
  all.speed = in.i32();
  return all;
}

std::optional<ReadingsHead> read_readings(Reader& in) noexcept {
  ReadingsHead all;
  all.clock_us = in.u32();
  all.heard = in.u16();
  all.heard_at_us = in.u32();
  all.number = in.u16();
  all.age_100us = in.u16();
  all.first = in.u8();
  all.count = in.u8();
  if (!in.whole || in.left.size() != all.count * reading_bytes) return std::nullopt;
  return all;
}

InputReading read_input(Reader& in) noexcept {
  const std::uint8_t bits = in.u8();
  return {(bits & 1) != 0, static_cast<std::uint8_t>(bits >> 1), in.i32()};
}

void write(Writer& out, const Message& message) noexcept {
  out.u32(message.echo_us);
  out.u16(message.valid_ms);
  out.u16(message.number);
  out.u8(static_cast<std::uint8_t>(message.asked));
  out.text(message.words);
}

std::optional<Message> read_message(std::span<const std::uint8_t> payload) noexcept {
  Reader in{payload};
  Message all;
  all.echo_us = in.u32();
  all.valid_ms = in.u16();
  all.number = in.u16();
  const std::uint8_t asked = in.u8();
  if (!in.whole || asked > static_cast<std::uint8_t>(Asked::cancel)) return std::nullopt;
  all.asked = static_cast<Asked>(asked);
  all.words = in.text();
  return all;
}

std::optional<Result> read_result(std::span<const std::uint8_t> payload) noexcept {
  Reader in{payload};
  Result all;
  all.clock_us = in.u32();
  all.number = in.u16();
  const std::uint8_t became = in.u8();
  if (!in.whole || became > static_cast<std::uint8_t>(Became::cancelled)) return std::nullopt;
  all.became = static_cast<Became>(became);
  all.why = in.text();
  return all;
}

std::optional<Refused> read_refused(std::span<const std::uint8_t> payload) noexcept {
  Reader in{payload};
  Refused all;
  all.of = static_cast<Kind>(in.u8());
  all.sequence = in.u16();
  all.why = static_cast<Refusal>(in.u8());
  all.clock_us = in.u32();
  if (!in.whole) return std::nullopt;
  return all;
}

}  // namespace gyrax::wire
