#include <gyrax/link/board_ear.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <chrono>

namespace gyrax {
namespace {

using namespace std::chrono_literals;

constexpr double q8 = 256, q16 = 65536;
constexpr Span answer_within = 150ms, between_asks = 10ms;
constexpr int tries_of_one = 3;

const char* mode_words(std::uint8_t mode) noexcept {
  constexpr const char* names[] = {"off", "stand", "follow", "stand"};
  return mode < std::size(names) ? names[mode] : "?";
}
std::string place_words(double position) { return fmt::format(" {:.1f}", position / q16); }

std::string status_words(std::uint8_t status) {
  std::string words;
  if ((status & wire::powered) == 0) words += " no power";
  if ((status & wire::measured) != 0) words += " measured";
  if ((status & wire::clamped) != 0) words += " clamped";
  if ((status & wire::by_itself) != 0) words += " by itself";
  if ((status & wire::known) == 0) words += " unknown";
  return words;
}

}  // namespace

FarChannel& BoardEar::channel(std::uint8_t number) {
  const auto at = std::ranges::lower_bound(seen_.channels, number, {}, &FarChannel::number);
  if (at != seen_.channels.end() && at->number == number) return *at;
  FarChannel fresh;
  fresh.number = number;
  return *seen_.channels.insert(at, fresh);
}

/// The position nearest to the last that is known whose low bits are these.
std::int64_t BoardEar::whole(std::uint8_t number, std::int32_t low_bits) const {
  const auto at = std::ranges::find(seen_.channels, number, &FarChannel::number);
  if (at == seen_.channels.end()) return low_bits;
  return at->position +
         static_cast<std::int32_t>(static_cast<std::uint32_t>(low_bits) - static_cast<std::uint32_t>(at->position));
}

void BoardEar::count_bytes(const Passed& passed) {
  (passed.out ? seen_.sent_bytes : seen_.heard_bytes) += passed.bytes.size();
  const Span since = passed.at - second_began_;
  if (since < 1s) return;
  const double seconds = to_seconds(since);
  seen_.sent_per_s = static_cast<double>(seen_.sent_bytes - sent_bytes_then_) / seconds;
  seen_.heard_per_s = static_cast<double>(seen_.heard_bytes - heard_bytes_then_) / seconds;
  second_began_ = passed.at;
  sent_bytes_then_ = seen_.sent_bytes;
  heard_bytes_then_ = seen_.heard_bytes;
}

void BoardEar::hear(const Passed& passed, const std::function<void(const Heard&)>& each) {
  if (second_began_ == Time{}) second_began_ = passed.at;
  count_bytes(passed);
  wire::Receiver& receiver = passed.out ? out_ : in_;
  for (const std::uint8_t byte : passed.bytes) {
    if (!receiver.take(byte)) continue;
    const wire::Frame& frame = receiver.frame();
    // An echo comes back with the kinds of the near end; another board has another address.
    const bool is_echo = !passed.out && frame.kind < wire::Kind::welcome;
    if (is_echo || (address_ != 0 && frame.address != address_)) continue;
    if (each) each({passed, frame, *this});
    passed.out ? take_out(passed, frame) : take_in(passed, frame);
  }
  seen_.bad_here = in_.bad();
}

void BoardEar::take_out(const Passed& passed, const wire::Frame& frame) {
  ++seen_.sent;
  sent_at_[frame.sequence % sent_at_.size()] = passed.at;
  asked_at_ = passed.at;
}

void BoardEar::answered(Span round_trip) {
  seen_.last_round_trip = round_trip;
  seen_.shortest_round_trip = seen_.answers == 0 ? round_trip : std::min(seen_.shortest_round_trip, round_trip);
  seen_.longest_round_trip = std::max(seen_.longest_round_trip, round_trip);
  ++seen_.answers;
}

void BoardEar::take_in(const Passed& passed, const wire::Frame& frame) {
  ++seen_.heard;
  seen_.answered = passed.at;
  switch (frame.kind) {
    case wire::Kind::welcome:
      if (const auto welcome = wire::read_welcome(frame.payload)) {
        seen_.name = welcome->name;
        seen_.version = frame.version;
        seen_.channel_count = welcome->channels;
        seen_.longest_frame = welcome->max_frame;
        seen_.session = frame.session;
        ++seen_.sessions;
        last_counts_ = {};
        answered(passed.at - asked_at_);
      }
      break;
    case wire::Kind::channel:
      if (const auto info = wire::read_channel(frame.payload)) {
        FarChannel& far = channel(info->number);
        far.kind = info->kind;
        far.pin = info->name;
        far.low = info->low / q8;
        far.high = info->high / q8;
        far.speed = info->speed / q8;
        far.accel = info->accel / q8;
        far.becomes = info->becomes;
        far.status = info->status;
        far.position = std::int64_t{info->whole_position} * static_cast<std::int64_t>(q16);
        answered(passed.at - asked_at_);
      }
      break;
    case wire::Kind::report: take_report(frame, passed.at); break;
    default: break;
  }
}

void BoardEar::take_report(const wire::Frame& frame, Time at) {
  wire::Reader in{frame.payload};
  const auto head = wire::read_report(in);
  if (!head) return;
  const std::array<std::uint16_t, 4> counts{head->lost, head->bad, head->late, head->refused};
  std::uint64_t* const sums[] = {&seen_.lost_there, &seen_.bad_there, &seen_.late_there, &seen_.refused_there};
  for (std::size_t i = 0; i < counts.size(); ++i) *sums[i] += static_cast<std::uint16_t>(counts[i] - last_counts_[i]);
  last_counts_ = counts;
  answered(at - sent_at_[head->heard % sent_at_.size()]);
  for (std::uint8_t i = 0; i < head->count; ++i) {
    const wire::ReportChannel report = wire::read_report_channel(in);
    FarChannel& far = channel(static_cast<std::uint8_t>(head->first + i));
    far.position = whole(far.number, report.position);
    far.status = report.status;
  }
}

std::string BoardEar::Heard::words() const {
  wire::Reader in{frame.payload};
  switch (frame.kind) {
    case wire::Kind::greet: {
      const std::uint16_t number = in.u16(), round_trip = in.u16();
      return fmt::format("number {}, refuse what is older than {} ms, from \"{}\"", number, round_trip, in.text());
    }
    case wire::Kind::ask: return fmt::format("channel {}", in.u8());
    case wire::Kind::assign: {
      const std::uint8_t number = in.u8();
      return fmt::format("channel {} becomes {} when it hears nothing", number,
                         name_of(static_cast<wire::Loss>(in.u8() & 3)));
    }
    case wire::Kind::stop: return fmt::format("category {}", in.u8());
    case wire::Kind::store: {
      const std::uint8_t number = in.u8();
      const std::int32_t low = in.i32(), high = in.i32();
      return fmt::format("channel {} keeps {:.1f} to {:.1f}", number, low / q8, high / q8);
    }
    case wire::Kind::set: {
      const std::uint32_t echo = in.u32(), due = in.u32();
      const std::uint16_t valid_ms = in.u16();
      const std::uint8_t first = in.u8(), count = in.u8();
      in.u16();
      std::string words =
          fmt::format("due {:.1f} ms on, valid {} ms:", static_cast<std::int32_t>(due - echo) / 1e3, valid_ms);
      for (std::uint8_t i = 0; i < count && in.whole; ++i) {
        const auto number = static_cast<std::uint8_t>(first + i);
        const std::uint8_t mode = in.u8();
        const std::int32_t position = in.i32(), speed = in.i32();
        words += fmt::format("{} {} {}", i > 0 ? "," : "", number, mode_words(mode));
        if (mode != 0) words += place_words(static_cast<double>(ear.whole(number, position)));
        if (speed != 0) words += fmt::format(" {:+.1f}/s", speed / q8);
      }
      return words;
    }
    case wire::Kind::message: {
      const auto message = wire::read_message(frame.payload);
      if (!message) break;
      constexpr const char* asked[] = {"begins", "goes on", "is cancelled"};
      return fmt::format("{} {}{}, valid {} ms", message->number, asked[static_cast<std::size_t>(message->asked)],
                         message->words.empty() ? "" : fmt::format(" \"{}\"", message->words), message->valid_ms);
    }
    case wire::Kind::result: {
      const auto result = wire::read_result(frame.payload);
      if (!result) break;
      constexpr const char* became[] = {"nothing", "under way", "done", "failed", "cancelled"};
      return fmt::format("{} {}{}", result->number, became[static_cast<std::size_t>(result->became)],
                         result->why.empty() ? "" : fmt::format(": \"{}\"", result->why));
    }
    case wire::Kind::more: {
      if (frame.payload.empty()) return "";
      const std::uint8_t first = in.u8(), count = in.u8(), most = in.u8();
      return fmt::format("readings of {} inputs from {} on, {} in a frame, every {} ms", count, first, most, in.u8());
    }
    case wire::Kind::readings: {
      const auto head = wire::read_readings(in);
      if (!head) break;
      std::string words = fmt::format("number {}, {:.1f} ms old:", head->number, head->age_100us / 10.0);
      for (std::uint8_t i = 0; i < head->count; ++i) {
        const wire::InputReading one = wire::read_input(in);
        words += fmt::format("{} {}{}", i > 0 ? "," : "", head->first + i,
                             one.valid ? place_words(one.value * q8) : std::string(" not valid"));
      }
      return words;
    }
    case wire::Kind::welcome: {
      const auto welcome = wire::read_welcome(frame.payload);
      if (!welcome) break;
      return fmt::format("\"{}\", {} channels, frames of {} bytes at most", welcome->name, welcome->channels,
                         welcome->max_frame);
    }
    case wire::Kind::channel: {
      const auto info = wire::read_channel(frame.payload);
      if (!info) break;
      return fmt::format("{} is {} \"{}\", {:.1f} to {:.1f}{}{}", info->number, name_of(info->kind), info->name,
                         info->low / q8, info->high / q8, *unit_of(info->kind) != '\0' ? " " : "", unit_of(info->kind));
    }
    case wire::Kind::report: {
      const auto head = wire::read_report(in);
      if (!head) break;
      std::string words = fmt::format("answers {} after {} µs:", head->heard, head->clock_us - head->heard_at_us);
      for (std::uint8_t i = 0; i < head->count; ++i) {
        const wire::ReportChannel one = wire::read_report_channel(in);
        const auto number = static_cast<std::uint8_t>(head->first + i);
        words +=
            fmt::format("{} {}{}{}", i > 0 ? "," : "", number,
                        place_words(static_cast<double>(ear.whole(number, one.position))), status_words(one.status));
      }
      if ((head->state & wire::stopped) != 0) words += "; it was told to stop";
      if ((head->state & wire::ran_late) != 0) words += "; its loop was late";
      return words;
    }
    case wire::Kind::print: return fmt::format("\"{}\"", in.text());
    case wire::Kind::refused: {
      const auto refused = wire::read_refused(frame.payload);
      if (!refused) break;
      return fmt::format("{} {}: {}", name_of(refused->of), refused->sequence, words_of(refused->why));
    }
    default: return "";
  }
  return "malformed";
}

// ---- The survey ----

BoardSurvey::BoardSurvey(const Setup& setup) : setup_(setup), number_(static_cast<std::uint16_t>(setup.seed)) {
  asked_at_ = Time{} - answer_within;
}

void BoardSurvey::hear(Time now, std::span<const std::uint8_t> bytes) {
  for (const std::uint8_t byte : bytes)
    if (in_.take(byte)) take(in_.frame());
  if (waits_ && now - asked_at_ >= answer_within) waits_ = false;
}

void BoardSurvey::take(const wire::Frame& frame) {
  if (frame.address != setup_.address || frame.version != wire::version) return;
  if (frame.kind == wire::Kind::welcome && session_ == 0) {
    const auto welcome = wire::read_welcome(frame.payload);
    if (!welcome || welcome->number != number_) return;
    session_ = frame.session;
    channels_ = welcome->channels;
    told_.resize(channels_);
    channel_ = 0;
    tries_ = 0;
    waits_ = false;
  } else if (frame.kind == wire::Kind::channel && frame.session == session_ && session_ != 0) {
    if (auto info = wire::read_channel(frame.payload)) take_channel(*info);
  } else if (frame.kind == wire::Kind::refused) {
    const auto refused = wire::read_refused(frame.payload);
    waits_ = false;
    if (refused && refused->of == wire::Kind::store && to_store_) {
      stored_ = words_of(refused->why);
      to_store_.reset();
    } else {
      // Somebody else greeted it, or it began anew.
      session_ = 0;
    }
  }
}

void BoardSurvey::take_channel(wire::ChannelInfo info) {
  info.name = {};
  if (info.number < told_.size()) told_[info.number] = info;
  if (to_store_ && info.number == to_store_->number && info.low == to_store_->low && info.high == to_store_->high) {
    stored_ = "";
    to_store_.reset();
    waits_ = false;
    return;
  }
  if (info.number != channel_) return;
  waits_ = false;
  tries_ = 0;
  if (++channel_ < channels_) return;
  channel_ = 0;
  ++rounds_;
}

void BoardSurvey::store(std::uint8_t channel, std::int32_t low, std::int32_t high) {
  if (channel >= told_.size()) return;
  to_store_ = told_[channel];
  to_store_->low = low;
  to_store_->high = high;
  stored_.reset();
}

std::span<const std::uint8_t> BoardSurvey::next(Time now) {
  const bool is_greeting = session_ == 0;
  if (waits_ || now < free_at_ || now - asked_at_ < (is_greeting ? answer_within : between_asks)) return {};
  if (!is_greeting && channels_ == 0) return {};
  if (++tries_ > tries_of_one) {
    session_ = 0;
    tries_ = 0;
    return {};
  }
  wire::Writer out;
  if (is_greeting) {
    ++number_;
    write(out, wire::Greeting{number_, 1000, "gyrax links"});
  } else if (to_store_) {
    write_store(out, *to_store_);
  } else {
    out.u8(channel_);
  }
  waits_ = true;
  asked_at_ = now;
  const wire::Kind kind = is_greeting ? wire::Kind::greet : to_store_ ? wire::Kind::store : wire::Kind::ask;
  const std::size_t size = wire::pack({kind, setup_.address, ++sequence_, session_, out.payload()}, bytes_);
  if (setup_.bytes_per_s > 0) free_at_ = now + from_seconds(static_cast<double>(size) / setup_.bytes_per_s);
  return std::span(bytes_).first(size);
}

}  // namespace gyrax
