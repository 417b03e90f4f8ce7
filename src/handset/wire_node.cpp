#include "wire_node.hpp"

#include <gyrax/files/problem.hpp>
#include <gyrax/handset/controls.hpp>

#include <fmt/format.h>
#include <poll.h>
#include <algorithm>
#include <charconv>
#include <cmath>
#include <cstdlib>

namespace gyrax {
namespace {

constexpr Span answer_within = std::chrono::milliseconds(150), asks_again = std::chrono::milliseconds(200);
/// Readings come a hundred times a second: without any for so long it is gone.
constexpr Span silent_after = std::chrono::milliseconds(500);
constexpr int tries_of_one = 3, moment_ms = 20;
constexpr std::uint8_t every_ms = 10;
/// Less often than that, and its usual silence_ms is soon over.
constexpr int slow_ms = 40;
/// A key that changed more often since its last reading says nothing of what a hand did.
constexpr int most_edges = 8;
constexpr std::uint8_t edges_wrap = 127;
/// Of what came, in one turn: two or three frames.
constexpr std::size_t in_one_turn = 128;

/// The kernel's code for a control of that name on a board's input; complains by a sentence.
struct Coded {
  std::uint16_t type = 0, code = 0;
  std::string wrong;
};

std::uint16_t code_of_hat(ControlId control) {
  for (std::uint16_t code = BTN_DPAD_UP; code <= BTN_DPAD_RIGHT; ++code)
    if (find_control(EV_KEY, code)->id == control) return code;
  return 0;
}

std::string with_article(wire::ChannelKind kind) {
  return (kind == wire::ChannelKind::digital ? "a " : "an ") + std::string(name_of(kind));
}

Coded coded(const std::string& name, wire::ChannelKind kind) {
  const ControlName* control = find_control(name);
  if (control == nullptr) {
    const std::string guess = nearest_control(name);
    return {0, 0,
            fmt::format("there is no control '{}'{}", name,
                        guess.empty() ? "" : fmt::format("; did you mean '{}'?", guess))};
  }
  const wire::ChannelKind right = control->kind == ControlKind::key      ? wire::ChannelKind::digital
                                  : control->kind == ControlKind::counts ? wire::ChannelKind::encoder
                                                                         : wire::ChannelKind::analog;
  if (kind != right)
    return {0, 0, fmt::format("{} is {} there, and has to be {}", name, with_article(kind), with_article(right))};
  if (control->kind == ControlKind::key && control->hat_side != 0) return {EV_KEY, code_of_hat(control->id), {}};
  // An acceleration has the code of a stick's axis, on a device that is a tilt sensor.
  const bool is_own_type = control->type == EV_KEY || control->type == EV_REL || control->type == EV_ABS;
  return {is_own_type ? control->type : std::uint16_t{EV_ABS}, control->code, {}};
}

bool is_acceleration(const std::string& name) { return name.starts_with("accel."); }

std::int32_t whole(std::int32_t per_256) { return per_256 >> 8; }

}  // namespace

std::optional<WiredPlace> wired_place(const std::string& text) {
  WiredPlace place;
  const std::size_t colon = text.find(':');
  if (colon == std::string::npos || colon + 1 == text.size()) return std::nullopt;
  const std::string kind = text.substr(0, colon), where = text.substr(colon + 1);
  if (kind == "serial") {
    const std::size_t at = where.find('@');
    place.wire.serial = where.substr(0, at);
    if (at == std::string::npos) return place.wire.serial.empty() ? std::nullopt : std::optional(place);
    const char* const end = where.data() + where.size();
    const auto read = std::from_chars(where.data() + at + 1, end, place.wire.baud);
    if (read.ec != std::errc{} || read.ptr != end || !wire::is_baud(place.wire.baud)) return std::nullopt;
    return place.wire.serial.empty() ? std::nullopt : std::optional(place);
  }
  if ((kind != "tcp" && kind != "udp") || !wire::host_and_port(where)) return std::nullopt;
  (kind == "tcp" ? place.wire.tcp : place.wire.udp) = where;
  return place;
}

WireNode::WireNode(const WiredPlace& place, const BootClock& clock, std::uint64_t seed)
    : clock_(clock), place_(place), port_(place.wire), number_(static_cast<std::uint16_t>(seed)) {}

std::string WireNode::trouble() const {
  if (const std::string why = port_.trouble(); !why.empty()) return "cannot be opened: " + why;
  if (state_ == State::greeting && tries_ >= tries_of_one)
    return fmt::format("nobody answers at address {}: is it on, and is the speed of its line the same?",
                       place_.address);
  std::string all = is_none_ ? "a board answers, and none of its inputs is a control" : "";
  for (const std::string& one : unused_) all += (all.empty() ? "" : "; ") + one;
  return all;
}

bool WireNode::alive() const {
  return !lost_ && port_.descriptor() == descriptor_ &&
         clock_.now() - Time{Span{heard_ns_.load(std::memory_order_relaxed)}} < silent_after;
}

std::vector<std::uint16_t> WireNode::keys_down() const {
  std::vector<std::uint16_t> down;
  for (const Input& input : inputs_)
    if (input.type == EV_KEY && input.valid && input.raw != 0) down.push_back(input.code);
  return down;
}

// ---- Until it has settled ----

bool WireNode::settle() {
  if (is_none_) return false;
  descriptor_ = port_.descriptor();
  pollfd wait{descriptor_, POLLIN, 0};
  ::poll(&wait, 1, moment_ms);
  const Time now = clock_.now();
  std::array<std::uint8_t, in_one_turn> room{};
  for (const std::uint8_t byte : port_.read(room))
    if (in_.take(byte)) take(in_.frame(), now, nullptr);
  if (state_ == State::listening && is_whole()) return true;
  if (!waits_ || now - asked_at_ >= answer_within) ask(now);
  return false;
}

/// Inputs in one frame of readings. Most boards send frames of 128 bytes at most.
std::size_t WireNode::most_in_a_frame() const {
  constexpr std::size_t usual = 128, rest = wire::around + wire::readings_head_bytes;
  return (std::min(wire::longest_frame(place_.wire.bytes_per_s()), usual) - rest) / wire::reading_bytes;
}

/// A hundred times a second, or as often as the wire can carry all of them, with a tenth of it left for answers.
std::uint8_t WireNode::wire_every_ms(std::size_t most) const {
  const double bytes_per_s = place_.wire.bytes_per_s();
  if (!(bytes_per_s > 0)) return every_ms;
  const std::size_t frames = (channels_ + most - 1) / most;
  const std::size_t bytes = frames * (wire::around + wire::readings_head_bytes) + channels_ * wire::reading_bytes;
  const double takes_ms = 1.1e3 * static_cast<double>(bytes) / bytes_per_s;
  return static_cast<std::uint8_t>(std::clamp(std::ceil(takes_ms), double{every_ms}, 250.0));
}

bool WireNode::is_whole() const { return std::ranges::all_of(inputs_, &Input::seen) && !inputs_.empty(); }

void WireNode::ask(Time now) {
  asked_at_ = now;
  waits_ = true;
  wire::Writer out;
  if (++tries_ > tries_of_one && state_ != State::greeting) {
    state_ = State::greeting;
    tries_ = 1;
  }
  switch (state_) {
    case State::greeting:
      session_ = 0;
      numbered_ = false;
      inputs_.clear();
      far_clock_.forget();
      write(out, wire::Greeting{++number_, 1000, "gyrax"});
      return send(wire::Kind::greet, out, now);
    case State::asking: out.u8(channel_); return send(wire::Kind::ask, out, now);
    case State::listening: {
      const std::size_t most = most_in_a_frame();
      write(out, wire::Heed{0, channels_, static_cast<std::uint8_t>(most), wire_every_ms(most)});
      return send(wire::Kind::more, out, now);
    }
  }
}

void WireNode::send(wire::Kind kind, const wire::Writer& out, Time now) {
  ++sequence_;
  sent_at_[sequence_ % sent_at_.size()] = now;
  const std::size_t size = wire::pack({kind, place_.address, sequence_, session_, out.payload()}, bytes_);
  port_.write(std::span(bytes_).first(size));
}

void WireNode::take(const wire::Frame& frame, Time now, Out* out) {
  if (frame.address != place_.address || frame.version != wire::version) return;
  if (frame.kind == wire::Kind::welcome && state_ == State::greeting) {
    const auto welcome = wire::read_welcome(frame.payload);
    if (welcome && welcome->number == number_) take_welcome(*welcome, frame.session);
    return;
  }
  if (frame.session != session_ || session_ == 0) {
    lost_ = lost_ || (frame.kind == wire::Kind::refused && state_ == State::listening);
    return;
  }
  if (frame.kind == wire::Kind::channel && state_ == State::asking) {
    if (const auto info = wire::read_channel(frame.payload)) take_channel(*info);
  } else if (frame.kind == wire::Kind::readings && state_ == State::listening) {
    take_readings(frame, now, out);
  }
}

void WireNode::take_welcome(const wire::Welcome& welcome, std::uint32_t session) {
  session_ = session;
  channels_ = welcome.channels;
  channel_ = 0;
  tries_ = 0;
  waits_ = false;
  device_ = {};
  device_.name = welcome.name;
  device_.bus = place_.wire.serial.empty() ? BUS_VIRTUAL : BUS_RS232;
  device_.port = place_.words();
  unused_.clear();
  state_ = State::asking;
  is_none_ = channels_ == 0;
}

void WireNode::take_channel(const wire::ChannelInfo& info) {
  if (info.number != channel_) return;
  if (!wire::is_output(info.kind)) {
    const std::string name = as_text(std::string(info.name));
    const Coded code = coded(name, info.kind);
    const auto same = [&](const Input& one) { return one.type == code.type && one.code == code.code; };
    if (!code.wrong.empty()) {
      unused_.push_back(fmt::format("its channel {}: {}", info.number, code.wrong));
    } else if (std::ranges::any_of(inputs_, same)) {
      unused_.push_back(fmt::format("its channel {}: another one has the place of {} already", info.number, name));
    } else {
      inputs_.push_back({.channel = info.number, .type = code.type, .code = code.code});
      if (is_acceleration(name)) device_.properties.insert(INPUT_PROP_ACCELEROMETER);
      if (code.type == EV_KEY) device_.keys.insert(code.code);
      if (code.type == EV_REL) device_.relative.insert(code.code);
      if (code.type == EV_ABS) device_.absolute[code.code] = {whole(info.low), whole(info.high), 0, 0, 0};
    }
  }
  tries_ = 0;
  waits_ = false;
  if (++channel_ < channels_) return;
  state_ = State::listening;
  is_none_ = inputs_.empty();
  if (const int every = wire_every_ms(most_in_a_frame()); every > slow_ms)
    unused_.push_back(
        fmt::format("its wire carries all of its readings every {} ms only; a faster line, or a silence_ms "
                    "that is a few times as long, is needed",
                    every));
}

// ---- Readings ----

void WireNode::put(Out* out, const Input& input, std::int32_t value, Time event) const {
  if (out == nullptr || out->gap) return;
  // One place stays free for the end of a frame.
  const std::size_t free = input.type == EV_SYN ? 0 : 1;
  if (out->count + free >= out->room.size()) {
    out->gap = true;
    return;
  }
  const std::int64_t us = clock_.since_boot_ns(event) / 1000;
  input_event& put = out->room[out->count++];
  put = {};
  put.input_event_sec = static_cast<decltype(put.input_event_sec)>(us / 1'000'000);
  put.input_event_usec = static_cast<decltype(put.input_event_usec)>(us % 1'000'000);
  put.type = input.type;
  put.code = input.code;
  put.value = value;
}

void WireNode::take_input(Input& input, const wire::InputReading& reading, Time event, Out* out) {
  const std::int32_t now_raw = input.type == EV_KEY ? (reading.value != 0 ? 1 : 0) : whole(reading.value);
  const bool is_new = !input.seen || !input.valid;
  input.seen = true;
  if (!reading.valid) {
    // What it was is no longer known, and the kernel has no event for that but a gap.
    if (input.valid && out != nullptr) out->gap = true;
    input.valid = false;
    return;
  }
  input.valid = true;
  const std::int32_t before = std::exchange(input.raw, now_raw);
  const int edges = (reading.changes - std::exchange(input.changes, reading.changes)) & edges_wrap;
  if (input.type == EV_REL) {
    // A dial's counts since the last reading; its number wraps.
    const auto counts = static_cast<std::int32_t>(static_cast<std::uint32_t>(now_raw - before) << 8) >> 8;
    if (!is_new && counts != 0) put(out, input, counts, event);
    return;
  }
  if (is_new || input.type == EV_ABS || edges == 0) return put(out, input, now_raw, event);
  if (edges > most_edges || ((before + edges) & 1) != now_raw) {
    if (out != nullptr) out->gap = true;
    return;
  }
  for (int i = 1; i <= edges; ++i) put(out, input, (before + i) & 1, event);
}

void WireNode::take_readings(const wire::Frame& frame, Time now, Out* out) {
  wire::Reader in{frame.payload};
  const auto head = wire::read_readings(in);
  // What comes again, or after a newer one, says nothing of now.
  if (!head || (numbered_ && static_cast<std::int16_t>(head->number - reading_) <= 0)) return;
  numbered_ = true;
  reading_ = head->number;
  heard_ns_.store(now.time_since_epoch().count(), std::memory_order_relaxed);
  const bool is_known = static_cast<std::uint16_t>(sequence_ - head->heard) < sent_at_.size();
  if (is_known) far_clock_.hear({sent_at_[head->heard % sent_at_.size()], now, head->heard_at_us, head->clock_us});
  const Time event = far_clock_.known() ? far_clock_.earliest(head->clock_us - head->age_100us * 100u, now) : now;
  // Never before an older one: the estimate of its clock gets better.
  oldest_ = std::max(oldest_, event);
  for (std::size_t i = 0; i < head->count; ++i) {
    const wire::InputReading reading = wire::read_input(in);
    const auto input = std::ranges::find(inputs_, static_cast<std::uint8_t>(head->first + i), &Input::channel);
    if (input != inputs_.end()) take_input(*input, reading, oldest_, out);
  }
  if (out == nullptr || out->gap) return;
  put(out, Input{.channel = 0, .type = EV_SYN, .code = SYN_REPORT}, 0, oldest_);
}

HandsetNode::Got WireNode::read(std::span<input_event> into, std::size_t& count) {
  std::array<std::uint8_t, in_one_turn> room{};
  const Time now = clock_.now();
  Out out{into};
  const auto came = port_.read(room);
  for (const std::uint8_t byte : came)
    if (in_.take(byte)) take(in_.frame(), now, &out);
  count = 0;
  if (lost_ || port_.descriptor() != descriptor_) return Got::gone;
  if (now - asked_at_ >= asks_again) {
    tries_ = 0;
    ask(now);
  }
  if (out.gap) {
    out = {into};
    put(&out, Input{.channel = 0, .type = EV_SYN, .code = SYN_DROPPED}, 0, oldest_);
  }
  count = out.count;
  return count > 0 ? Got::events : Got::nothing;
}

bool WireNode::state(const AbsoluteBits&, std::vector<InputEvent>& out) {
  const std::int64_t at_us = clock_.since_boot_ns(oldest_) / 1000;
  for (const Input& input : inputs_)
    if (input.type != EV_REL && input.valid) out.push_back({at_us, input.type, input.code, input.raw});
  out.push_back({at_us, EV_SYN, SYN_REPORT, 0});
  return alive();
}

}  // namespace gyrax
