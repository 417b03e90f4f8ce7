#include <gyrax/base/nano.hpp>
#include <gyrax/link/controller_talk.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <stdexcept>
#include <utility>

namespace gyrax {
namespace {

__extension__ using Wide = __int128;
using namespace std::chrono_literals;

constexpr std::size_t longest_line = 512;
/// A feed may be so much more or less than the command's speed, to come nearer to it or to fall back.
constexpr double most_correction = 0.02, corrects_within_s = 0.5;
/// What came to be farther behind, in corners that it took slowly, catches up faster.
constexpr double far_behind_s = 0.04, catching_up = 0.15;
/// It rests for so long, and nothing more comes: the rest is sent.
constexpr Span rests_after = 3ms;
/// Before it is told anything new: answers that come until then are to what it was told before.
constexpr Span quiet_first = 50ms;
constexpr Span tries_again_after = 1s;
constexpr std::uint32_t greatest_number = 99'999;
constexpr std::size_t most_words = 64;
constexpr std::uint64_t strange_told = 5;
constexpr std::uint8_t not_told = 2;
constexpr double inch_mm = 25.4;  // exactly, ISO 31-1

std::int64_t power_of_ten(int exponent) noexcept {
  std::int64_t power = 1;
  for (int i = 0; i < exponent; ++i) power *= 10;
  return power;
}

/// To the nearest, halves away from zero.
std::int64_t divided(Wide number, Wide by) noexcept {
  return static_cast<std::int64_t>((number + (number < 0 ? -by : by) / 2) / by);
}

/// Without what cannot be printed.
std::string printable(std::string_view text) {
  constexpr std::size_t most = 80;
  std::string out;
  for (const char c : text.substr(0, most)) out += static_cast<unsigned char>(c) >= 0x20 && c != 0x7f ? c : '.';
  return out;
}

}  // namespace

std::int64_t controller_counts(std::int64_t nano, const Dialect& dialect, bool linear) noexcept {
  const Wide scaled = Wide{nano} * power_of_ten(dialect.decimals);
  return dialect.inch && linear ? divided(scaled * 10, Wide{254'000'000'000}) : divided(scaled, Wide{1'000'000'000});
}

double controller_place(double in_its_unit, const Dialect& dialect, bool linear) noexcept {
  return dialect.inch && linear ? in_its_unit * inch_mm : in_its_unit;
}

std::string decimal_words(std::int64_t counts, int decimals) {
  const std::uint64_t size = counts < 0 ? 0 - static_cast<std::uint64_t>(counts) : static_cast<std::uint64_t>(counts);
  const auto one = static_cast<std::uint64_t>(power_of_ten(decimals));
  const char* const sign = counts < 0 ? "-" : "";
  return decimals == 0 ? fmt::format("{}{}", sign, size)
                       : fmt::format("{}{}.{:0{}}", sign, size / one, size % one, decimals);
}

ControllerTalk::ControllerTalk(const Rig& rig, LinkId link) : name_(rig.links[index(link)].name) {
  const LinkInfo& info = rig.links[index(link)];
  if (!info.dialect) throw std::invalid_argument("link '" + name_ + "' has no dialect");
  dialect_ = *info.dialect;
  switch_lines_ = info.switch_lines;
  switches_told_.assign(switch_lines_.size(), not_told);
  switches_wanted_.assign(switch_lines_.size(), 0);
  move_every_ = from_seconds(1 / info.number("rate_hz"));
  ask_every_ = from_seconds(1 / info.number("status_hz"));
  answer_within_ = from_seconds(info.number("answer_ms") / 1e3);
  accel_ = info.number("accel");
  for (std::size_t a = 0; a < rig.axes.size(); ++a) {
    const AxisSetup& axis = rig.setup.axes[a];
    if (axis.wiring.link != link) continue;
    const MotionLimits& full = axis.limits.full();
    AxisRow row;
    row.letter = info.letters[axis.wiring.channel];
    row.linear = rig.axes[a].unit == "mm";
    row.speed = axis.limits.speed();
    row.in_position = axis.in_position;
    if (info.number("accel") == 0)
      accel_ = axes_.empty() ? std::max(full.accel, full.decel) : std::min(accel_, std::max(full.accel, full.decel));
    axes_.push_back(row);
  }
  positions_.resize(axes_.size());
  heard_.axes.resize(axes_.size());
  for (std::size_t i = 0; i < rig.inputs.size(); ++i) {
    if (rig.inputs[i].link != link) continue;
    inputs_.push_back(rig.inputs[i]);
    heard_.inputs.push_back({.input = id_at<InputId>(i), .value = 0, .fresh = false});
  }
  for (std::size_t a = 0; a < rig.actions.size(); ++a) {
    const ActionSetup& action = rig.setup.actions[a];
    if (action.link == link)
      acts_.push_back({id_at<ActionId>(a), rig.actions[a].name, rig.actions[a].lines, !action.moves.empty()});
  }
}

void ControllerTalk::say(const std::string& words) {
  if (words_.size() < most_words) words_.push_back(name_ + ": " + words);
}

std::optional<std::string> ControllerTalk::said() {
  if (words_.empty()) return std::nullopt;
  std::string first = std::move(words_.front());
  words_.erase(words_.begin());
  return first;
}

bool ControllerTalk::reported() noexcept { return std::exchange(new_report_, false); }

// ---- From state to state ----

void ControllerTalk::begin(Time now, State state) {
  state_ = state;
  unanswered_.clear();
  unanswered_bytes_ = 0;
  moves_ = false;
  setup_row_ = 0;
  modes_asked_ = false;
  correction_ = 0;
  ask_due_ = std::min(ask_due_, now);
  // A stop goes at once.
  begins_at_ = state == State::stopping ? now : now + quiet_first;
  if (state == State::setting_up) {
    number_ = 0;
    begins_at_ += std::exchange(waits_first_, Span{});
  }
}

/// Whatever it was told, it knows no more.
void ControllerTalk::begin_anew(Time now) {
  is_void_ = true;
  modes_hold_ = false;
  std::ranges::fill(switches_told_, not_told);
  begin(now, State::asking);
}

void ControllerTalk::opened(Time now) {
  if (heard_.number > 0) once_ |= controller_cut_off;
  end_action(ActionReport::Result::refused);
  is_open_ = true;
  came_.clear();
  out_.clear();
  asked_.reset();
  ask_due_ = quiet_until_ = now;
  begin_anew(now);
}

void ControllerTalk::stop_at_once(Time now, bool by_all_means) {
  begin(now, State::stopping);
  ++counts_.stops;
  is_void_ = true;
  pauses_ = !dialect_.pause.empty() && !by_all_means && heard_.state != Dialect::State::paused;
  send_stop(now, pauses_ ? dialect_.pause : dialect_.stop);
}

void ControllerTalk::send_stop(Time now, const std::string& words) {
  stop_sent_ = now;
  // What has not gone out yet is not sent any more.
  out_ = Dialect::is_at_once(words) ? words : framed(words) + '\n';
  // An answer that is under way tells where it was before.
  if (asked_) ask_was_lost_ = true;
}

void ControllerTalk::fault(Time now, std::uint32_t bit, const std::string& words) {
  once_ |= bit;
  end_action(ActionReport::Result::refused);
  // What cannot be set up is tried again, more slowly, and is not told again.
  if (state_ != State::setting_up || !std::exchange(has_told_setup_, true)) say(words);
  if (state_ == State::setting_up) waits_first_ = tries_again_after;
  modes_hold_ = false;
  says_where_ = state_ == State::running;
  // What has an alarm is not paused.
  if (takes_lines()) stop_at_once(now, bit == controller_alarm);
}

/// What was done of what it was sent.
void ControllerTalk::say_where() {
  std::string stands, sent;
  for (std::size_t a = 0; a < axes_.size(); ++a) {
    const AxisRow& axis = axes_[a];
    stands += fmt::format(" {}{:.3f}", axis.letter, positions_[a]);
    sent += fmt::format(" {}{:.3f}", axis.letter, from_nano(axis.sent_nano));
  }
  say(fmt::format("it stands at{}; its last move went to{}", stands, sent));
}

/// What a status says of how it goes on.
void ControllerTalk::settle(Time now) {
  const Dialect::State is = heard_.state;
  if (state_ == State::acting && settle_acting(now)) return;
  if (state_ == State::held && settle_held(now)) return;
  const auto last = [&](std::uint32_t bit, const std::string& words) {
    if ((lasting_ & bit) == 0) say(words);
    lasting_ |= bit;
    is_void_ = true;
    modes_hold_ = false;
    end_action(ActionReport::Result::refused);
    if (takes_lines()) begin(now, State::asking);
  };
  if (is == Dialect::State::alarm) {
    last(controller_alarm, fmt::format("it has an alarm: '{}'", heard_.state_word));
    state_ = State::asking;
    return;
  }
  if (is == Dialect::State::unknown)
    return last(controller_strange_answer, fmt::format("its state '{}' is none of its states", heard_.state_word));
  // It rests, and says so: what it has still queued is dropped.
  const bool rests = is == Dialect::State::paused || is == Dialect::State::idle;
  if (state_ == State::stopping && pauses_ && rests && heard_.measured >= stop_sent_) {
    pauses_ = false;
    return send_stop(now, dialect_.stop);
  }
  if (is == Dialect::State::paused) {
    if (state_ != State::stopping && !only_asks_) {
      lasting_ |= controller_paused;
      end_action(ActionReport::Result::refused);
      say("it is paused by itself, and is told to stop");
      says_where_ = state_ == State::running;
      stop_at_once(now);
    }
    return;
  }
  if (is == Dialect::State::moving) {
    // What moves before it was told anything goes on from a program before this one.
    if (state_ == State::asking && !only_asks_) {
      say("it moves, and nobody here told it to: it is told to stop");
      stop_at_once(now);
    }
    return;
  }
  if (state_ == State::asking || (state_ == State::stopping && heard_.measured >= stop_sent_)) {
    lasting_ = 0;
    if (only_asks_) return;
    if (std::exchange(says_where_, false)) say_where();
    begin(now, modes_hold_ ? State::running : State::setting_up);
  }
  if (state_ != State::running) return;
  const bool moved_itself = std::exchange(moved_itself_, false);
  if (has_power_ && !is_void_ && !moved_itself) return check_place(now);
  if (act_is_over_) end_action(ActionReport::Result::done);
  // Without power, or after a stop or an action of its own, it is where it says.
  for (std::size_t a = 0; a < axes_.size(); ++a) {
    AxisRow& axis = axes_[a];
    axis.target = axis.sent_nano = to_nano(positions_[a]);
    axis.sent = controller_counts(axis.target, dialect_, axis.linear);
  }
}

/// Where it stands is where its last move ended, or a line got lost.
void ControllerTalk::check_place(Time now) {
  constexpr Span reaches_it_within = 100ms;
  if (moves_ || !unanswered_.empty() || heard_.measured < move_began_ + reaches_it_within) return;
  const double count = controller_place(1.0 / static_cast<double>(power_of_ten(dialect_.decimals)), dialect_, true);
  for (std::size_t a = 0; a < axes_.size(); ++a) {
    const double off = positions_[a] - from_nano(axes_[a].sent_nano);
    if (std::abs(off) > 1.5 * count)
      return fault(now, controller_elsewhere,
                   fmt::format("{} stands {:.3f} away from where it was sent", axes_[a].letter, off));
  }
}

// ---- What is heard ----

void ControllerTalk::hear(Time now, std::span<const std::uint8_t> bytes) {
  for (const std::uint8_t byte : bytes) {
    if (byte != '\n' && byte != '\r') {
      is_overlong_ = is_overlong_ || came_.size() >= longest_line;
      if (!is_overlong_) came_ += static_cast<char>(byte);
      continue;
    }
    const std::string line = std::exchange(came_, {});
    if (!std::exchange(is_overlong_, false) && !line.empty()) take_line(now, line);
  }
}

void ControllerTalk::take_line(Time now, std::string_view line) {
  while (line.ends_with(' ')) line.remove_suffix(1);
  if (take_status(now, line) || take_ack(now, line) || take_error(now, line)) return;
  if (const auto alarm = dialect_.alarm.match(line)) {
    if (state_ == State::acting && act_in_alarm_) return;
    lasting_ |= controller_alarm;
    fault(now, controller_alarm, fmt::format("it has an alarm: '{}'", printable(line)));
    return;
  }
  if (const auto greeting = dialect_.greeting.match(line)) {
    say(fmt::format("it begins: '{}'", printable(line)));
    // It forgot what it was told, and its queue.
    if (state_ == State::acting && act_in_alarm_) {
      act_is_over_ = true;
    } else {
      if (state_ != State::asking) once_ |= controller_began_anew;
      end_action(ActionReport::Result::refused);
    }
    begin_anew(now);
    return;
  }
  if (const auto modes = dialect_.modes_answer.match(line); modes && modes_asked_)
    return take_modes(now, modes->at("modes"));
  if (++counts_.strange <= strange_told && heard_.number > 0)
    say(fmt::format("it says '{}'{}", printable(line),
                    counts_.strange == strange_told ? ", and no more of that is told" : ""));
}

bool ControllerTalk::take_status(Time now, std::string_view line) {
  const auto found = dialect_.status.match(line);
  if (!found) return false;
  // An answer that nobody asked for has no time.
  if (!asked_) {
    ++counts_.strange;
    return true;
  }
  std::vector<double> places(axes_.size());
  for (std::size_t a = 0; a < axes_.size(); ++a) {
    const auto place = found->find(std::string_view(&axes_[a].letter, 1));
    const auto number = place == found->end() ? std::nullopt : wire::number_of(place->second);
    if (!number) return ++counts_.strange, true;
    places[a] = controller_place(*number, dialect_, axes_[a].linear);
    if (!is_position(places[a])) return ++counts_.strange, true;
  }
  const Time asked = *std::exchange(asked_, std::nullopt);
  const double since_s = to_seconds(asked - heard_.measured);
  for (std::size_t a = 0; a < axes_.size(); ++a) {
    const bool has_last = heard_.number > 0 && since_s > 0;
    heard_.axes[a] = {true, places[a], has_last ? (places[a] - positions_[a]) / since_s : 0, false};
    positions_[a] = places[a];
  }
  for (std::size_t i = 0; i < inputs_.size(); ++i) {
    const auto value = wire::number_of(found->at(inputs_[i].name));
    heard_.inputs[i].fresh = value.has_value();
    if (value) heard_.inputs[i].value = inputs_[i].value_of(*value);
  }
  heard_.state_word = printable(found->at("state"));
  heard_.state = dialect_.state_of(found->at("state"));
  heard_.measured = asked;
  heard_.within = now - asked;
  const Span trip = now - asked;
  counts_.last_round_trip = trip;
  counts_.shortest_round_trip = counts_.statuses == 0 ? trip : std::min(trip, counts_.shortest_round_trip);
  counts_.longest_round_trip = std::max(trip, counts_.longest_round_trip);
  has_told_silence_ = false;
  if (counts_.statuses++ == 0) say(fmt::format("it answers, and is '{}'", heard_.state_word));
  if (std::exchange(ask_was_lost_, false)) return true;  // whose answer it is nobody knows
  settle(now);
  const double behind = behind_s();
  const double most = behind > far_behind_s ? catching_up : most_correction;
  if (moves_) correction_ = std::clamp(behind / corrects_within_s, -most_correction, most);
  heard_.faults = std::exchange(once_, 0u) | lasting_;
  heard_.actions = std::exchange(results_, {});
  heard_.waits = (state_ != State::running && state_ != State::held) || now < begins_at_;
  ++heard_.number;
  new_report_ = true;
  return true;
}

bool ControllerTalk::take_ack(Time now, std::string_view line) {
  const auto found = dialect_.ack.match(line);
  if (!found) return false;
  ++counts_.acks;
  // Of what was dropped, or of a question.
  if (!takes_lines() || now < begins_at_) return true;
  if (unanswered_.empty()) {
    fault(now, controller_strange_answer, fmt::format("it says '{}' of a line that was not sent", printable(line)));
    return true;
  }
  if (const auto number = found->find("number");
      number != found->end() && number->second != std::to_string(unanswered_.front().number)) {
    fault(now, controller_lost_answer,
          fmt::format("it says '{}', and line {} has no answer yet", printable(line), unanswered_.front().number));
    return true;
  }
  unanswered_bytes_ -= unanswered_.front().bytes;
  if (unanswered_.front().of_action) act_answered_ = now;
  unanswered_.pop_front();
  return true;
}

bool ControllerTalk::take_error(Time now, std::string_view line) {
  const auto found = dialect_.error.match(line);
  if (!found) return false;
  if (!takes_lines() || now < begins_at_) return true;
  if (refuse_action_line(now, line)) return true;
  const std::string of = unanswered_.empty() ? "" : fmt::format(" of '{}'", unanswered_.front().words);
  fault(now, controller_error, fmt::format("it refuses{}: '{}'", of, printable(line)));
  return true;
}

void ControllerTalk::take_modes(Time now, std::string_view modes) {
  std::string all = " ";
  for (const char c : modes) all += c;
  all += ' ';
  for (const std::string& mode : dialect_.modes)
    if (all.find(" " + mode + " ") == std::string::npos) {
      if ((lasting_ & controller_wrong_modes) == 0)
        say(fmt::format("its modes are '{}', and {} is not among them: nothing is sent to it", printable(modes), mode));
      lasting_ |= controller_wrong_modes;
      waits_first_ = tries_again_after;
      return begin(now, State::setting_up);
    }
  lasting_ &= ~controller_wrong_modes;
  modes_hold_ = true;
}

// ---- What is told ----

bool ControllerTalk::is_at_target() const noexcept {
  return std::ranges::all_of(
      axes_, [&](const AxisRow& axis) { return controller_counts(axis.target, dialect_, axis.linear) == axis.sent; });
}

/// How much more it is behind than it has to be; below 0: less.
double ControllerTalk::behind_s() const noexcept {
  double way = 0, speed = 0;
  for (std::size_t a = 0; a < axes_.size(); ++a) {
    const double off = from_nano(axes_[a].sent_nano) - positions_[a];
    way += off * off;
    speed += heard_.axes[a].speed * heard_.axes[a].speed;
  }
  way = std::sqrt(way);
  speed = std::sqrt(speed);
  if (!(speed > 0)) return 0;
  // While the answer was under way it went on.
  const double aged = way - speed * to_seconds(heard_.within) / 2;
  return aged / speed - speed / (2 * accel_) - to_seconds(move_every_) - to_seconds(counts_.shortest_round_trip);
}

void ControllerTalk::tell(const Frame& frame) {
  const std::size_t count = std::min(axes_.size(), frame.axes.size());
  for (std::size_t s = 0; s < switches_wanted_.size() && s < frame.switches.size(); ++s)
    switches_wanted_[s] = frame.switches[s];
  take_order(frame.sent, frame.order);
  bool has_power = false, follows = false, changed = false;
  for (std::size_t a = 0; a < count; ++a) {
    has_power = has_power || frame.axes[a].mode != Mode::off;
    follows = follows || frame.axes[a].mode == Mode::follow;
  }
  const bool gets_power = has_power && !has_power_, loses_power = !has_power && has_power_;
  has_power_ = has_power;
  if (state_ == State::running && !follows) is_void_ = false;
  if (state_ == State::running && !is_void_)
    for (std::size_t a = 0; a < count; ++a) {
      AxisRow& axis = axes_[a];
      if (frame.axes[a].mode == Mode::follow) {
        changed = changed || axis.target != frame.axes[a].position;
        axis.target = frame.axes[a].position;
      }
      if (gets_power) {
        const double off = from_nano(frame.axes[a].position - axis.sent_nano);
        constexpr double begins_within_s = 0.01;
        if (std::abs(off) > axis.in_position + axis.speed * begins_within_s) {
          axis.target = axis.sent_nano;
          return fault(frame.sent, controller_elsewhere,
                       fmt::format("{} is at {:.3f}, and was told to begin {:.3f} away from there", axis.letter,
                                   from_nano(axis.sent_nano), std::abs(off)));
        }
      }
    }
  if (changed) changed_at_ = frame.sent;
  double fastest = 0;
  for (std::size_t a = 0; a < count; ++a) fastest += std::pow(from_nano(frame.axes[a].speed), 2);
  fastest_ = std::max(fastest_, std::sqrt(fastest));
  const bool is_at_rest =
      !moves_ && is_at_target() && heard_.state == Dialect::State::idle && heard_.measured > move_began_;
  if (loses_power && state_ == State::running && !is_at_rest) stop_at_once(frame.sent);
}

bool ControllerTalk::has_room(std::size_t bytes) const noexcept {
  return unanswered_.size() < static_cast<std::size_t>(dialect_.takes_lines) &&
         unanswered_bytes_ + bytes <= static_cast<std::size_t>(dialect_.takes_bytes);
}

/// As it goes over the wire, but for its end.
std::string ControllerTalk::framed(const std::string& words) {
  number_ = number_ == greatest_number ? 1 : number_ + 1;
  constexpr char sum_place = '\x01';
  std::string line = dialect_.line.fill([&](std::string_view place) {
    return place == "words" ? words : place == "number" ? std::to_string(number_) : std::string(1, sum_place);
  });
  if (const std::size_t at = line.find(sum_place); at != std::string::npos)
    line.replace(at, 1, sum_of(line.substr(0, at)));
  return line;
}

void ControllerTalk::send_line(Time now, const std::string& words) {
  const std::string line = framed(words) + '\n';
  unanswered_.push_back({line.size(), number_, now, words});
  unanswered_bytes_ += line.size();
  ++counts_.lines;
  out_ += line;
}

/// Unit per second along the way, never above what an axis may; `way` is that of the numbers that are sent.
double ControllerTalk::feed(double elapsed_s, double& way) const {
  double wanted = 0;
  way = 0;
  const double count = 1.0 / static_cast<double>(power_of_ten(dialect_.decimals));
  std::vector<double> ways;
  for (const AxisRow& axis : axes_) {
    const double off = from_nano(axis.target - axis.sent_nano);
    const auto counts = controller_counts(axis.target, dialect_, axis.linear) - axis.sent;
    ways.push_back(controller_place(static_cast<double>(counts) * count, dialect_, axis.linear));
    wanted += off * off;
    way += ways.back() * ways.back();
  }
  way = std::sqrt(way);
  // As fast as it was at either end: a controller slows down within a move to the next one's speed, so that the mean
  // would make each take longer than the command does.
  double speed = std::max(std::sqrt(wanted) / elapsed_s, fastest_) * (1 + correction_);
  for (std::size_t a = 0; a < axes_.size(); ++a)
    if (ways[a] != 0) speed = std::min(speed, axes_[a].speed * way / std::abs(ways[a]));
  return speed;
}

void ControllerTalk::send_move(Time now) {
  double way = 0;
  const double elapsed_s = std::max(to_seconds(now - move_began_), 1e-3);
  const double speed = feed(elapsed_s, way);
  std::string places;
  bool any_linear = false;
  for (const AxisRow& axis : axes_) {
    const std::int64_t counts = controller_counts(axis.target, dialect_, axis.linear);
    if (counts == axis.sent) continue;
    any_linear = any_linear || axis.linear;
    places += fmt::format("{}{}{}", places.empty() ? "" : " ", axis.letter,
                          decimal_words(dialect_.relative ? counts - axis.sent : counts, dialect_.decimals));
  }
  // A minute's way, rounded down: never above what was worked out.
  constexpr double per_minute = 60, feed_counts = 1000;
  const double in_its_unit = dialect_.inch && any_linear ? speed / inch_mm : speed;
  const auto feed_words =
      decimal_words(std::max<std::int64_t>(1, static_cast<std::int64_t>(in_its_unit * per_minute * feed_counts)), 3);
  const std::string words = dialect_.move.fill([&](std::string_view place) {
    return place == "axes" ? places : place == "feed" ? feed_words : std::string();
  });
  constexpr std::size_t around = 32;  // a number and a sum
  if (!has_room(words.size() + around)) return;
  for (AxisRow& axis : axes_) {
    axis.sent = controller_counts(axis.target, dialect_, axis.linear);
    axis.sent_nano = axis.target;
  }
  move_began_ = now;
  fastest_ = 0;
  ++counts_.moves;
  send_line(now, words);
}

void ControllerTalk::plan_move(Time now) {
  if (is_void_ || !has_power_) return;
  const bool is_there = is_at_target();
  if (!moves_) {
    if (is_there) return;
    moves_ = true;
    move_began_ = std::min(now, changed_at_);
    fastest_ = 0;
    correction_ = 0;
    return;
  }
  const bool rests = now - changed_at_ >= rests_after;
  if (is_there) {
    if (rests && now - move_began_ >= move_every_) moves_ = false;
    return;
  }
  if (now - move_began_ >= move_every_ || rests) send_move(now);
}

void ControllerTalk::set_up(Time now) {
  if (!unanswered_.empty()) return;
  if (setup_row_ < dialect_.setup.size()) return send_line(now, dialect_.setup[setup_row_++]);
  if (!dialect_.modes_ask.empty() && !modes_asked_) {
    modes_asked_ = true;
    return send_line(now, dialect_.modes_ask);
  }
  if (dialect_.modes_ask.empty()) modes_hold_ = true;
  if (!modes_hold_) return;
  begin(now, State::running);
  begins_at_ = now;
  has_told_setup_ = false;
  say("its modes are set: it can be moved");
}

void ControllerTalk::ask(Time now) {
  const bool waits_for_lines = is_acting() && !Dialect::is_at_once(dialect_.status_ask);
  if (asked_ && now - *asked_ > answer_within_ && !waits_for_lines) {
    asked_.reset();
    ask_was_lost_ = false;
    quiet_until_ = now + answer_within_ / 2;
    if (takes_lines() && !is_acting())
      fault(now, controller_lost_answer, "it does not say where it is");
    else if (!std::exchange(has_told_silence_, true))
      say("it does not answer");
  }
  const bool has_to_wait = takes_lines() && !Dialect::is_at_once(dialect_.status_ask) && now < begins_at_;
  if (asked_ || now < ask_due_ || now < quiet_until_ || has_to_wait) return;
  asked_ = now;
  ask_due_ = std::max(ask_due_ + ask_every_, now);
  if (Dialect::is_at_once(dialect_.status_ask)) {
    out_ += dialect_.status_ask;
  } else if (takes_lines()) {
    send_line(now, dialect_.status_ask);
  } else {
    out_ += framed(dialect_.status_ask) + '\n';
  }
}

std::span<const std::uint8_t> ControllerTalk::next(Time now) {
  if (!is_open_) return {};
  // What it carries out may take its time; the engine says how long.
  if (!is_acting() && !unanswered_.empty() && now - unanswered_.front().sent > answer_within_)
    fault(now, controller_lost_answer, fmt::format("'{}' has no answer", unanswered_.front().words));
  if (state_ == State::stopping && now - stop_sent_ > stops_within) {
    // What says that it still moves is stopped by all means; of what is silent nobody knows.
    const bool moves = heard_.state == Dialect::State::moving && heard_.measured >= stop_sent_;
    if (moves) say("it does not stop, and is told again");
    stop_at_once(now, true);
    if (moves && !dialect_.abort.empty()) out_ += dialect_.abort;
  }
  ask(now);
  work_action(now);
  if (state_ == State::setting_up && now >= begins_at_) set_up(now);
  if (state_ == State::running && now >= begins_at_) {
    for (std::size_t s = 0; s < switches_wanted_.size(); ++s) {
      if (switches_told_[s] == switches_wanted_[s] || !has_room(longest_line / 8)) continue;
      switches_told_[s] = switches_wanted_[s];
      send_line(now, switches_told_[s] != 0 ? switch_lines_[s].first : switch_lines_[s].second);
    }
    plan_move(now);
  }
  sent_ = std::exchange(out_, {});
  return {reinterpret_cast<const std::uint8_t*>(sent_.data()), sent_.size()};
}

}  // namespace gyrax
