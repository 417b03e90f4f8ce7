// Actions of a controller: lines of the rig's, between the moves or in place of them.
#include <gyrax/link/controller_talk.hpp>

#include <fmt/format.h>

#include <algorithm>

namespace gyrax {

void ControllerTalk::end_action(ActionReport::Result result) {
  if (act_ == nullptr) return;
  results_.push_back({act_->id, result, act_number_});
  act_ = nullptr;
  act_is_over_ = false;
}

void ControllerTalk::take_order(Time now, std::optional<ActionOrder> order) {
  if (order && order->cancelled) order.reset();
  if (order == order_ || only_asks_) return;
  order_ = order;
  if (order && order->number == act_number_) return order->paused ? hold(now) : go_on(now);
  if (act_ != nullptr) {
    // It was stopped before it was over. Lines that are under way are carried out.
    say(fmt::format("{} is stopped", act_->name));
    const bool moves = act_->moves;
    act_ = nullptr;
    act_is_over_ = modes_hold_ = false;
    if (is_acting()) moves ? stop_at_once(now) : begin(now, State::asking);
  }
  if (!order) return;
  const auto found = std::ranges::find(acts_, order->action, &Act::id);
  if (found == acts_.end()) return;
  act_ = &*found;
  act_number_ = order->number;
  act_line_ = 0;
}

/// At rest, with all that is left of it. What has not begun waits.
void ControllerTalk::hold(Time now) {
  if (act_ == nullptr || state_ != State::acting) return;
  say(fmt::format("{} is paused", act_->name));
  state_ = State::held;
  has_rested_ = false;
  stop_sent_ = now;
  out_ += dialect_.pause;
}

void ControllerTalk::go_on(Time now) {
  if (act_ == nullptr || state_ != State::held) return;
  say(fmt::format("{} goes on", act_->name));
  state_ = State::acting;
  act_answered_ = now;
  out_ += dialect_.resume;
}

/// False where it is for all other states to settle.
bool ControllerTalk::settle_held(Time now) {
  const bool rests = heard_.state == Dialect::State::paused || heard_.state == Dialect::State::idle;
  if (!rests && heard_.state != Dialect::State::moving) return false;
  if (heard_.measured < stop_sent_) return true;
  has_rested_ = has_rested_ || rests;
  const bool was_too_long = now - stop_sent_ > stops_within;
  if (rests || (!has_rested_ && !was_too_long)) return true;
  say(has_rested_ ? "it goes on by itself, and is told to stop" : "it does not come to rest, and is told to stop");
  end_action(ActionReport::Result::refused);
  stop_at_once(now, true);
  return true;
}

bool ControllerTalk::is_told_all_of_action() const noexcept {
  return act_line_ == act_->lines.size() && std::ranges::none_of(unanswered_, &Line::of_action);
}

void ControllerTalk::begin_acting(Time now) {
  const bool was_running = state_ == State::running;
  begin(now, State::acting);
  act_in_alarm_ = heard_.state == Dialect::State::alarm;
  is_void_ = true;
  moved_itself_ = true;
  act_answered_ = now;
  if (was_running)
    begins_at_ = now;
  else
    number_ = 0;
}

void ControllerTalk::send_action_line(Time now) {
  const std::string& line = act_->lines[act_line_++];
  say(fmt::format("{}: '{}'", act_->name, Dialect::shown(line)));
  if (Dialect::is_at_once(line)) {
    out_ += line;
    act_answered_ = now;
    return;
  }
  send_line(now, line);
  unanswered_.back().of_action = true;
}

void ControllerTalk::work_action(Time now) {
  const bool waits = state_ == State::held || (order_ && order_->paused);
  if (act_ == nullptr || act_is_over_ || waits || now < begins_at_) return;
  // What moves the machine begins at rest; what is to unlock it begins where it does not take moves.
  const bool rests = unanswered_.empty() && !moves_ && is_at_target();
  const bool has_alarm = state_ == State::asking && heard_.state == Dialect::State::alarm;
  if ((state_ == State::running && act_->moves && rests) || (has_alarm && !act_->moves)) begin_acting(now);
  if (now < begins_at_) return;
  constexpr std::size_t around = 32;  // a number and a sum
  const auto has_room_for_next = [&] {
    return act_line_ < act_->lines.size() && has_room(act_->lines[act_line_].size() + around);
  };
  if (state_ == State::acting && unanswered_.empty() && act_line_ < act_->lines.size()) send_action_line(now);
  if (state_ != State::running || act_->moves) return;
  while (has_room_for_next()) send_action_line(now);
  if (is_told_all_of_action()) end_action(ActionReport::Result::done);
}

/// What a status says while an action is carried out; false where it is for all other states to settle.
bool ControllerTalk::settle_acting(Time now) {
  switch (heard_.state) {
    case Dialect::State::alarm: return act_in_alarm_;
    case Dialect::State::moving: return true;
    // It may answer before it moves again.
    case Dialect::State::paused: return now - act_answered_ < answer_within_;
    case Dialect::State::unknown: return false;
    case Dialect::State::idle: break;
  }
  if (!is_told_all_of_action() || heard_.measured <= act_answered_) return true;
  // It may have left other modes behind.
  lasting_ = 0;
  modes_hold_ = false;
  act_is_over_ = true;
  begin(now, State::setting_up);
  return true;
}

/// False where it is no line of an action.
bool ControllerTalk::refuse_action_line(Time now, std::string_view answer) {
  if (unanswered_.empty() || !unanswered_.front().of_action) return false;
  say(fmt::format("it refuses '{}'{}: '{}'", unanswered_.front().words, act_ != nullptr ? " of " + act_->name : "",
                  answer));
  unanswered_bytes_ -= unanswered_.front().bytes;
  unanswered_.pop_front();
  if (act_ == nullptr) return true;  // it was stopped before
  const bool moves = act_->moves;
  end_action(ActionReport::Result::refused);
  if (is_acting()) moves ? stop_at_once(now) : begin(now, State::asking);
  return true;
}

}  // namespace gyrax
