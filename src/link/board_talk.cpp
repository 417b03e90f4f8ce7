#include <gyrax/base/time.hpp>
#include <gyrax/link/board_talk.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <bit>
#include <utility>

namespace gyrax {
namespace {

using std::chrono::duration_cast;
using std::chrono::microseconds;

constexpr Span answer_within = std::chrono::milliseconds(150), again_after = std::chrono::seconds(2);
constexpr int tries_of_one = 3;
/// Without a report for so long it is greeted anew.
constexpr Span silent_after = std::chrono::milliseconds(500);
/// Of a message.
constexpr Span result_within = std::chrono::seconds(1);
constexpr std::size_t most_said = 64;

std::int64_t us(Span span) { return duration_cast<microseconds>(span).count(); }
std::int32_t later_by(std::uint32_t a, std::uint32_t b) { return static_cast<std::int32_t>(a - b); }
double units(std::int64_t per_256) { return static_cast<double>(per_256) / 256; }

}  // namespace

BoardTalk::BoardTalk(BoardSetup setup, std::uint64_t seed) : setup_(std::move(setup)), random_(seed) {
  told_.resize(setup_.channels.size());
  report_.channels.resize(setup_.channels.size());
  said_.reserve(most_said);
  begin(Time{}, State::greeting);
}

template <class... Words>
void BoardTalk::say(const char* format, const Words&... words) {
  std::string words_now = fmt::format("{}: ", setup_.name) + fmt::format(fmt::runtime(format), words...);
  // What is wrong is tried again and again, and told once.
  if (state_ != State::running && std::ranges::find(told_of_, words_now) != told_of_.end()) return;
  if (state_ != State::running && told_of_.size() < most_said) told_of_.push_back(words_now);
  if (said_.size() < most_said) said_.push_back(std::move(words_now));
}

std::optional<std::string> BoardTalk::said() {
  if (said_.empty()) return std::nullopt;
  std::string first = std::move(said_.front());
  said_.erase(said_.begin());
  return first;
}

bool BoardTalk::reported() noexcept { return std::exchange(new_report_, false); }

void BoardTalk::tell(std::span<const ChannelTold> told) {
  const bool same = std::ranges::equal(told, told_);
  // What was at rest starts without waiting for its turn.
  if (!same && was_same_) at_once_ = true;
  was_same_ = same;
  if (same) return;
  std::ranges::copy(told, told_.begin());
  untold_ = runs_.size();
}

void BoardTalk::begin(Time now, State state) {
  if (state == State::greeting) end_order(false, "the board is greeted anew, and nobody knows what it did");
  state_ = state;
  row_ = 0;
  tries_ = 0;
  asked_at_ = state == State::disagrees ? now : now - again_after;
  if (state != State::greeting) return;
  // A step of a linear congruential generator (Knuth, MMIX).
  random_ = random_ * 6364136223846793005u + 1442695040888963407u;
  number_ = static_cast<std::uint16_t>(random_ >> 48);
  session_ = 0;
  clock_.forget();
  last_head_.reset();
}

void BoardTalk::plan_runs() {
  std::vector<std::uint8_t> numbers;
  for (const BoardChannel& channel : setup_.channels) numbers.push_back(channel.number);
  runs_ = wire::runs_of(numbers, max_frame_);
  run_ = 0;
  runs_heard_ = 0;
}

// ---- What is heard ----

void BoardTalk::hear(Time now, std::span<const std::uint8_t> bytes) {
  for (const std::uint8_t byte : bytes)
    if (in_.take(byte)) take(now, in_.frame());
  counts_.bad_here = in_.bad();
  if (state_ == State::running && now - heard_at_ > silent_after) {
    say("the board is silent");
    begin(now, State::greeting);
  }
}

void BoardTalk::take(Time now, const wire::Frame& frame) {
  if (frame.kind < wire::Kind::welcome || frame.address != setup_.address) {
    ++counts_.strange_here;  // an echo, or another board
    return;
  }
  ++counts_.heard;
  if (frame.version != wire::version) {
    if (state_ != State::disagrees)
      say("the board speaks version {} of the frames; this program speaks version {}", frame.version, wire::version);
    state_ = State::disagrees;
    return;
  }
  if (frame.kind == wire::Kind::welcome) {
    const auto welcome = wire::read_welcome(frame.payload);
    if (welcome && state_ == State::greeting && welcome->number == number_)
      take_welcome(now, *welcome, frame.session);
    else
      ++counts_.strange_here;
    return;
  }
  if (frame.kind == wire::Kind::refused) {
    if (const auto refused = wire::read_refused(frame.payload)) take_refusal(now, *refused);
    return;
  }
  if (frame.session != session_ || session_ == 0) {
    ++counts_.strange_here;
    return;
  }
  switch (frame.kind) {
    case wire::Kind::channel:
      if (const auto info = wire::read_channel(frame.payload)) take_channel(now, *info);
      break;
    case wire::Kind::report: take_report(now, frame); break;
    case wire::Kind::result:
      if (const auto result = wire::read_result(frame.payload)) take_result(*result);
      break;
    case wire::Kind::print: {
      wire::Reader in{frame.payload};
      if (const auto text = in.text(); !text.empty()) say("\"{}\"", text);
      break;
    }
    default: break;
  }
}

void BoardTalk::take_welcome(Time now, const wire::Welcome& welcome, std::uint32_t session) {
  session_ = session;
  ++counts_.sessions;
  echo_us_ = welcome.clock_us;
  far_name_ = welcome.name;
  if (welcome.max_frame < wire::around + wire::report_head_bytes + wire::channel_bytes) {
    say("the board takes frames of {} bytes; {} are the least that this program can do with", welcome.max_frame,
        wire::around + wire::report_head_bytes + wire::channel_bytes);
    return begin(now, State::disagrees);
  }
  max_frame_ = std::min<std::size_t>(welcome.max_frame, wire::longest_frame(setup_.bytes_per_s));
  plan_runs();
  for (const BoardChannel& channel : setup_.channels) {
    if (channel.number < welcome.channels) continue;
    say("{} is on channel {}, and the board has {} (0 to {})", channel.name, channel.number, welcome.channels,
        welcome.channels - 1);
    return begin(now, State::disagrees);
  }
  begin(now, State::asking);
}

/// With both sides' numbers.
bool BoardTalk::agrees(const BoardChannel& ours, const wire::ChannelInfo& theirs) {
  const auto on = [&] { return fmt::format("{} on channel {} ({})", ours.name, ours.number, theirs.name); };
  const char* unit = unit_of(ours.kind);
  bool agrees = true;
  if (theirs.kind != ours.kind) {
    say("{} is a {} there, and a {} in the rig", on(), name_of(theirs.kind), name_of(ours.kind));
    return false;
  }
  if (!ours.pin.empty() && theirs.name != ours.pin) {
    say("{} is on pin {} in the rig", on(), ours.pin);
    return false;
  }
  if (!is_output(ours.kind)) return true;
  const auto disagrees = [&](const char* format, const auto&... words) {
    agrees = false;
    say(format, on(), words..., unit);
  };
  if (theirs.low > ours.low || theirs.high < ours.high)
    disagrees("{} has its ends at {:g} and {:g} there; the rig wants [{:g}, {:g}] {}", units(theirs.low),
              units(theirs.high), units(ours.low), units(ours.high));
  if (theirs.speed != 0 && theirs.speed < ours.speed)
    disagrees("{} makes {:g} a second at most there; the rig wants {:g} {}", units(theirs.speed), units(ours.speed));
  if (theirs.accel != 0 && theirs.accel < ours.accel)
    disagrees("{} makes {:g} a second, a second, at most there; the rig wants {:g} {}", units(theirs.accel),
              units(ours.accel));
  return agrees;
}

void BoardTalk::next_row(Time now, State after) {
  tries_ = 0;
  asked_at_ = now - again_after;
  if (++row_ < setup_.channels.size()) return;
  begin(now, after);
  if (after != State::running) return;
  heard_at_ = now;
  report_.began_anew = true;
  told_of_.clear();
  say("board {} \"{}\" agrees: {} channels, session {:08x}", setup_.address, far_name_, setup_.channels.size(),
      session_);
  for (std::size_t row = 0; row < setup_.channels.size(); ++row)
    if (setup_.channels[row].kind == wire::ChannelKind::servo && (report_.channels[row].status & wire::known) == 0)
      say("{} on channel {} has had no pulse yet: made ready, it goes at once to where it is taken to be",
          setup_.channels[row].name, setup_.channels[row].number);
}

void BoardTalk::take_channel(Time now, const wire::ChannelInfo& info) {
  if ((state_ != State::asking && state_ != State::assigning) || info.number != setup_.channels[row_].number) return;
  echo_us_ = info.clock_us;
  const BoardChannel& ours = setup_.channels[row_];
  if (state_ == State::asking) {
    report_.channels[row_].position = std::int64_t{info.whole_position} * 65536;
    if (!agrees(ours, info)) return begin(now, State::disagrees);
    report_.channels[row_].status = info.status;
    return next_row(now, State::assigning);
  }
  if (info.becomes == ours.becomes) next_row(now, State::running);
}

void BoardTalk::take_refusal(Time now, const wire::Refused& refused) {
  echo_us_ = refused.clock_us;
  if (refused.why == wire::Refusal::other_version) {
    if (state_ != State::disagrees) say("the board refuses: {}", words_of(refused.why));
    return begin(now, State::disagrees);
  }
  if (state_ == State::running &&
      (refused.why == wire::Refusal::other_session || refused.why == wire::Refusal::is_stopped)) {
    say("the board refuses: {}; it is greeted anew", words_of(refused.why));
    return begin(now, State::greeting);
  }
  if (state_ == State::running && refused.of == wire::Kind::message && refused.sequence == message_sequence_) {
    const bool comes_again = refused.why == wire::Refusal::too_old || refused.why == wire::Refusal::again;
    if (!comes_again) end_order(false, words_of(refused.why));
  }
  if (state_ == State::asking || state_ == State::assigning) {
    say("the board refuses {} of channel {}: {}", name_of(refused.of), setup_.channels[row_].number,
        words_of(refused.why));
    begin(now, State::disagrees);
  }
}

void BoardTalk::hear_clock(Time now, std::uint16_t heard, std::uint32_t heard_at_us, std::uint32_t clock_us) {
  if (static_cast<std::uint16_t>(sequence_ - heard) >= sent_at_.size()) return;
  const Time sent = sent_at_[heard % sent_at_.size()];
  const auto round_trip = clock_.hear({sent, now, heard_at_us, clock_us});
  if (!round_trip) return;
  counts_.last_round_trip = *round_trip;
  counts_.longest_round_trip = std::max(counts_.longest_round_trip, *round_trip);
  if (counts_.reports == 0 || *round_trip < counts_.shortest_round_trip) counts_.shortest_round_trip = *round_trip;
}

void BoardTalk::take_report(Time now, const wire::Frame& frame) {
  wire::Reader in{frame.payload};
  const auto head = wire::read_report(in);
  if (!head || state_ != State::running) {
    ++counts_.strange_here;
    return;
  }
  const std::size_t end = std::size_t{head->first} + head->count;
  heard_at_ = now;
  if (later_by(head->clock_us, echo_us_) > 0 || !clock_.known()) echo_us_ = head->clock_us;
  hear_clock(now, head->heard, head->heard_at_us, head->clock_us);
  const wire::ReportHead before = last_head_.value_or(wire::ReportHead{});
  counts_.lost_there += static_cast<std::uint16_t>(head->lost - before.lost);
  counts_.bad_there += static_cast<std::uint16_t>(head->bad - before.bad);
  counts_.late_there += static_cast<std::uint16_t>(head->late - before.late);
  counts_.refused_there += static_cast<std::uint16_t>(head->refused - before.refused);
  last_head_ = *head;
  for (std::size_t row = 0; row < setup_.channels.size(); ++row) {
    const std::size_t number = setup_.channels[row].number;
    if (number < head->first || number >= end) continue;
    wire::Reader one{frame.payload.subspan(wire::report_head_bytes + (number - head->first) * wire::channel_bytes)};
    const wire::ReportChannel channel = read_report_channel(one);
    ChannelReport& known = report_.channels[row];
    // The position nearest to the last whose low bits are these.
    known.position += static_cast<std::int32_t>(static_cast<std::uint32_t>(channel.position) -
                                                static_cast<std::uint32_t>(known.position));
    known.status = channel.status;
    known.speed = channel.speed;
  }
  ++counts_.reports;
  report_.state = head->state;
  report_.clock_us = head->clock_us;
  // The board cannot have measured before it heard what it answers, nor that before it was sent.
  const bool is_known = static_cast<std::uint16_t>(sequence_ - head->heard) < sent_at_.size();
  const Time sent = is_known ? sent_at_[head->heard % sent_at_.size()] : report_.measured;
  const Time earliest = std::min(now, sent + microseconds(std::max(0, later_by(head->clock_us, head->heard_at_us))));
  // Whole once every run has come; as old as the oldest of them.
  const auto run =
      std::ranges::find_if(runs_, [&](const wire::Run& r) { return setup_.channels[r.row].number == head->first; });
  if (run == runs_.end()) return;
  const Span within = clock_.known() ? std::min(2 * clock_.within(now), now - earliest) : now - earliest;
  within_ = runs_heard_ == 0 ? within : std::max(within_, within);
  oldest_ = runs_heard_ == 0 ? earliest : std::min(oldest_, earliest);
  runs_heard_ |= std::uint64_t{1} << (run - runs_.begin());
  if (static_cast<std::size_t>(std::popcount(runs_heard_)) < runs_.size()) return;
  runs_heard_ = 0;
  report_.measured = std::max(report_.measured, oldest_);
  report_.arrival = now;
  report_.within = within_;
  ++report_.number;
  new_report_ = true;
}

// ---- What it does besides ----

void BoardTalk::order(const std::optional<BoardOrder>& order) {
  if (!order) {
    order_.reset();
    result_.reset();
    return;
  }
  if (ordered_ != order->number) {
    ordered_ = order->number;
    order_ = order;
    result_.reset();
    asked_ = wire::Asked::begin;
    message_at_ = Time{};
    result_at_.reset();
  }
  if (!order_ || !order->cancelled || asked_ == wire::Asked::cancel) return;
  asked_ = wire::Asked::cancel;
  message_at_ = Time{};
}

/// `why` not: empty where it was cancelled from here.
void BoardTalk::end_order(bool done, std::string_view why) {
  if (!order_) return;
  if (!done)
    why.empty() ? say("\"{}\" is cancelled", order_->message) : say("\"{}\" is not done: {}", order_->message, why);
  else if (asked_ == wire::Asked::cancel)
    say("\"{}\" was done before it could be cancelled", order_->message);
  result_ = BoardResult{done};
  order_.reset();
}

void BoardTalk::take_result(const wire::Result& result) {
  if (!order_ || result.number != order_->number) return;
  switch (result.became) {
    case wire::Became::under_way:
      result_at_.reset();
      if (asked_ == wire::Asked::begin) asked_ = wire::Asked::go_on;
      return;
    case wire::Became::done: return end_order(true);
    case wire::Became::cancelled:
      return end_order(false,
                       asked_ == wire::Asked::cancel ? "" : "nobody asked the board for it in time, and it gave up");
    case wire::Became::failed:
    case wire::Became::nothing: return end_order(false, result.why.empty() ? "the board does not say why" : result.why);
  }
}

/// Between whole rounds of sets, and never twice without one between.
bool BoardTalk::is_message_due(Time now) const noexcept {
  return order_ && run_ == 0 && now - message_at_ >= std::chrono::milliseconds(wire::message_every_ms) &&
         message_at_ <= set_at_;
}

void BoardTalk::write_message(Time now, wire::Writer& out) {
  const auto valid_ms = wire::message_valid_ms(us(setup_.valid_for) / 1000);
  const std::string_view words = asked_ == wire::Asked::begin ? order_->message : std::string_view();
  write(out, wire::Message{echo_us_, static_cast<std::uint16_t>(valid_ms), order_->number, asked_, words});
  message_at_ = now;
  message_sequence_ = static_cast<std::uint16_t>(sequence_ + 1);
}

// ---- What is said ----

void BoardTalk::write_request(wire::Writer& out, wire::Kind& kind) {
  switch (state_) {
    case State::asking:
      kind = wire::Kind::ask;
      out.u8(setup_.channels[row_].number);
      return;
    case State::assigning:
      kind = wire::Kind::assign;
      write(out, setup_.channels[row_].number, setup_.channels[row_].becomes);
      return;
    default: {
      kind = wire::Kind::greet;
      const auto round_trip_ms = std::clamp<std::int64_t>(us(setup_.max_round_trip) / 1000, 1, 1000);
      write(out, wire::Greeting{number_, static_cast<std::uint16_t>(round_trip_ms), "gyrax"});
    }
  }
}

void BoardTalk::write_set(Time now, wire::Writer& out) {
  const wire::Run& run = runs_[run_];
  wire::SetHead head;
  head.echo_us = echo_us_;
  // One frame behind: where it is told to be, it is shortly after the next frame comes.
  head.due_us = clock_.known() ? clock_.far(now + setup_.frame_every * 5 / 4 + clock_.half_trip()) : echo_us_;
  head.valid_ms = static_cast<std::uint16_t>(std::clamp<std::int64_t>(us(setup_.valid_for) / 1000, 1, 1000));
  head.first = head.first_asked = setup_.channels[run.row].number;
  head.count = head.asked = static_cast<std::uint8_t>(run.rows);
  write(out, head);
  for (std::size_t row = run.row; row < run.row + run.rows; ++row) {
    const ChannelTold& told = told_[row];
    write(out, wire::SetChannel{told.mode, static_cast<std::int32_t>(static_cast<std::uint64_t>(told.position)),
                                told.speed});
  }
}

std::span<const std::uint8_t> BoardTalk::pack(Time now, wire::Kind kind, const wire::Writer& out) {
  ++sequence_;
  ++counts_.sent;
  const std::size_t size = wire::pack({kind, setup_.address, sequence_, session_, out.payload()}, bytes_);
  if (setup_.bytes_per_s > 0) free_at_ = now + from_seconds(static_cast<double>(size) / setup_.bytes_per_s);
  // A board on USB hears it sooner than its line's speed says, so this is the earliest.
  sent_at_[sequence_ % sent_at_.size()] = now;
  return std::span(bytes_).first(size);
}

std::span<const std::uint8_t> BoardTalk::next(Time now) {
  if (now < free_at_) return {};
  wire::Writer out;
  if (stop_) {
    out.u8(*stop_);
    stop_.reset();
    const auto bytes = pack(now, wire::Kind::stop, out);
    begin(now, State::greeting);
    return bytes;
  }
  if (state_ == State::running && is_message_due(now)) {
    if (!result_at_) result_at_ = now + result_within;
    if (now > *result_at_) {
      end_order(false, "the board does not answer it: docs/board.md says what is expected");
    } else if (wire::message_bytes(order_->message.size()) > max_frame_) {
      end_order(false, "its frame is longer than the board takes");
    } else {
      write_message(now, out);
      return pack(now, wire::Kind::message, out);
    }
  }
  if (state_ == State::running) {
    if (run_ == 0 && std::exchange(at_once_, false)) {
      set_at_ = now;
    } else if (run_ == 0) {
      if (now - set_at_ < setup_.frame_every) return {};
      // At a steady pace, unless it was late by more than a frame.
      set_at_ = now - set_at_ < 2 * setup_.frame_every ? set_at_ + setup_.frame_every : now;
    }
    write_set(now, out);
    if (untold_ > 0) --untold_;
    run_ = run_ + 1 < runs_.size() ? run_ + 1 : 0;
    return pack(now, wire::Kind::set, out);
  }
  if (now - asked_at_ < (state_ == State::disagrees ? again_after : answer_within)) return {};
  const bool is_unanswered = state_ != State::greeting && state_ != State::disagrees && tries_ >= tries_of_one;
  if (is_unanswered)
    say("the board answers a greeting, and not {} of channel {}: docs/board.md says what is expected",
        state_ == State::asking ? "ask" : "assign", setup_.channels[row_].number);
  if (state_ == State::disagrees || is_unanswered) begin(now, State::greeting);
  if (++tries_ == tries_of_one && state_ == State::greeting && counts_.sessions == 0)
    say("nobody answers at address {}: is the board on, and is the speed of its line the same?", setup_.address);
  asked_at_ = now;
  wire::Kind kind{};
  write_request(out, kind);
  return pack(now, kind, out);
}

}  // namespace gyrax
