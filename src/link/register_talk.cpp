#include <gyrax/base/nano.hpp>
#include <gyrax/link/register_talk.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <bit>
#include <cmath>
#include <stdexcept>
#include <utility>

namespace gyrax {
namespace {

using What = RegisterEntry::What;
using Type = RegisterWord::Type;

/// A fault is reset by an edge: what resets it alternates with nothing, so long each.
constexpr Span edge = std::chrono::milliseconds(500);
constexpr double millionths_a_percent = 1e4;

}  // namespace

void put_counts(std::uint16_t* at, const RegisterWord& word, double counts, bool low_word_first) noexcept {
  if (word.type == Type::bit) {
    if (counts != 0) *at = static_cast<std::uint16_t>(*at | 1u << word.bit);
    return;
  }
  const double kept = std::clamp(counts, word.low(), word.high());
  const std::uint32_t bits = word.type == Type::f32 ? std::bit_cast<std::uint32_t>(static_cast<float>(kept))
                                                    : static_cast<std::uint32_t>(std::llround(kept));
  if (word.size() == 1) {
    *at = static_cast<std::uint16_t>(bits);
    return;
  }
  at[low_word_first ? 1 : 0] = static_cast<std::uint16_t>(bits >> 16);
  at[low_word_first ? 0 : 1] = static_cast<std::uint16_t>(bits);
}

double get_counts(const std::uint16_t* at, const RegisterWord& word, bool low_word_first) noexcept {
  if (word.type == Type::bit) return (*at >> word.bit & 1u) != 0 ? 1 : 0;
  if (word.type == Type::i16) return static_cast<std::int16_t>(*at);
  if (word.size() == 1) return *at;
  const std::uint32_t high = at[low_word_first ? 1 : 0], low = at[low_word_first ? 0 : 1], bits = high << 16 | low;
  if (word.type == Type::f32) return static_cast<double>(std::bit_cast<float>(bits));
  return word.type == Type::i32 ? static_cast<double>(static_cast<std::int32_t>(bits)) : static_cast<double>(bits);
}

RegisterTalk::RegisterTalk(const Rig& rig, LinkId link) : name_(rig.links[index(link)].name) {
  const LinkInfo& info = rig.links[index(link)];
  if (!info.registers) throw std::invalid_argument("link '" + name_ + "' has no registers");
  map_ = *info.registers;
  switch_on_ = from_seconds(info.number("switch_on_ms") / 1e3);
  registers_.resize(RegisterMap::span_of(map_.tells));
  all_coils_.resize(RegisterMap::span_of(map_.coils));
  std::size_t axes = 0;
  for (const AxisSetup& axis : rig.setup.axes) axes += axis.wiring.link == link ? 1 : 0;
  heard_.axes.resize(axes);
  for (std::size_t i = 0; i < rig.inputs.size(); ++i) {
    if (rig.inputs[i].link != link) continue;
    inputs_.push_back(rig.inputs[i]);
    heard_.inputs.push_back({.input = id_at<InputId>(i), .value = 0, .fresh = true});
  }
  for (std::size_t a = 0; a < rig.actions.size(); ++a)
    if (const ActionInfo& action = rig.actions[a]; rig.setup.actions[a].link == link && !action.writes.empty())
      acts_.push_back({id_at<ActionId>(a), action.name, action.writes, action.cancels});
}

// ---- Actions ----

void RegisterTalk::end_action(ActionReport::Result result) {
  if (act_ == nullptr) return;
  heard_.actions.assign(1, {act_->id, result, order_->number});
  act_ = nullptr;
}

void RegisterTalk::take_order(const std::optional<ActionOrder>& order) {
  if (order == order_) return;
  order_ = order;
  heard_.actions.clear();
  act_ = nullptr;
  next_write_ = 0;
  if (!order) return;
  const auto found = std::ranges::find(acts_, order->action, &Act::id);
  if (found == acts_.end()) return;
  if (order->cancelled)
    cancels_.assign(found->cancels.rbegin(), found->cancels.rend());
  else
    act_ = &*found;
}

std::optional<RegisterWrite> RegisterTalk::next_write(const RegistersTold& told, Time now) {
  if (!has_heard_ || told.valid_until <= now) return std::nullopt;
  take_order(told.order);
  if (!cancels_.empty()) return cancels_.back();
  if (act_ == nullptr) return std::nullopt;
  return act_->writes[next_write_];
}

void RegisterTalk::wrote(bool taken, const std::string& why) {
  if (!cancels_.empty()) {
    words_.push_back(fmt::format("{}: {}{}", name_, words_of(cancels_.back()), taken ? "" : " was not taken: " + why));
    return cancels_.pop_back();
  }
  if (act_ == nullptr) return;
  words_.push_back(fmt::format("{}: {}: {}{}", name_, act_->name, words_of(act_->writes[next_write_]),
                               taken ? "" : " was not taken: " + why));
  if (!taken) return end_action(ActionReport::Result::refused);
  if (++next_write_ == act_->writes.size()) end_action(ActionReport::Result::done);
}

void RegisterTalk::lost() {
  if (has_heard_) once_ |= registers_came_back;
  end_action(ActionReport::Result::refused);
  has_heard_ = was_on_ = false;
  state_ = nullptr;
}

std::optional<std::string> RegisterTalk::said() {
  if (words_.empty()) return std::nullopt;
  std::string first = std::move(words_.front());
  words_.erase(words_.begin());
  return first;
}

// ---- What is told ----

/// In counts.
double RegisterTalk::set_point(const RegisterEntry& entry, const AxisWord& word) const noexcept {
  const double counts = entry.word.counts / entry.word.is;
  switch (entry.what) {
    case What::position: {
      // Without power it is told to be where it is: it does not leap when it gets some.
      const AxisReport& heard = heard_.axes[entry.row];
      const bool is_there = word.mode == Mode::off && heard.measured;
      return (is_there ? heard.position : from_nano(word.position)) * counts;
    }
    case What::speed: return word.mode == Mode::off ? 0 : from_nano(word.speed) * counts;
    case What::power:
      return word.mode == Mode::off ? 0 : static_cast<double>(word.position) / millionths_a_percent * counts;
    default: return 0;
  }
}

std::uint16_t RegisterTalk::control(Time now) const noexcept {
  if (state_ == nullptr) return 0;
  if (state_->is == DriveState::Is::fault && now.time_since_epoch() / edge % 2 == 0) return 0;
  return wants_on_ ? state_->to_on : state_->to_off;
}

std::span<const std::uint16_t> RegisterTalk::next(const RegistersTold& told, Time now) {
  coils_ = {};
  const bool is_valid = told.valid_until > now && told.axes.size() == heard_.axes.size();
  if (!has_heard_ || !is_valid || map_.tells.empty()) return {};
  const bool wants_on = std::ranges::any_of(told.axes, [](const AxisWord& w) { return w.mode != Mode::off; });
  if (wants_on && !wants_on_) wanted_since_ = now;
  if (!wants_on) was_on_ = false;
  wants_on_ = wants_on;
  std::ranges::fill(registers_, std::uint16_t{0});
  for (const RegisterEntry& entry : map_.tells) {
    switch (entry.what) {
      case What::heartbeat: put(entry.word, told.sequence & 0xffff); break;
      case What::word: put(entry.word, control(now)); break;
      case What::on: put(entry.word, told.switches[entry.row]); break;
      default: put(entry.word, set_point(entry, told.axes[entry.row]));
    }
  }
  for (const RegisterEntry& entry : map_.coils) all_coils_[entry.word.at - coils_at()] = told.switches[entry.row];
  coils_ = all_coils_;
  return registers_;
}

// ---- What is heard ----

/// What its status means for whoever counts on it.
std::uint32_t RegisterTalk::judge(std::uint16_t status, Time now) {
  state_ = map_.state_of(status);
  if (state_ == nullptr) return drive_in_no_state;
  if (state_->is == DriveState::Is::fault) return drive_has_fault;
  const bool is_on = state_->is == DriveState::Is::on;
  was_on_ = was_on_ || (is_on && wants_on_);
  if (wants_on_ && was_on_ && !is_on) return drive_switched_off;
  if (wants_on_ && !is_on && now - wanted_since_ > switch_on_) return drive_not_on_in_time;
  return 0;
}

void RegisterTalk::hear_discretes(std::span<const std::uint8_t> bits) noexcept {
  if (bits.size() != discretes_size()) return;
  for (const RegisterEntry& entry : map_.discretes)
    heard_.inputs[entry.row].value = inputs_[entry.row].value_of(bits[entry.word.at - discretes_at()] != 0 ? 1 : 0);
}

bool RegisterTalk::hear(std::span<const std::uint16_t> registers, Time asked, Time now) {
  if (registers.size() != heard_size()) return false;
  if (std::ranges::any_of(map_.hears, [&](const RegisterEntry& e) { return !std::isfinite(get(registers, e.word)); })) {
    failed(registers_wrong);
    return false;
  }
  if (const RegisterEntry* const beat = map_.heard(What::heartbeat)) {
    const auto count = static_cast<std::uint16_t>(get(registers, beat->word));
    const bool stands = count == beat_;
    beat_ = count;
    if (stands) return false;
  }
  std::uint32_t faults = std::exchange(once_, 0u);
  std::uint16_t status = 0;
  if (const RegisterEntry* const word = map_.heard(What::word)) {
    status = static_cast<std::uint16_t>(get(registers, word->word));
    faults |= judge(status, now);
  }
  for (const RegisterEntry& entry : map_.hears) {
    const double value = get(registers, entry.word) * entry.word.is / entry.word.counts;
    switch (entry.what) {
      case What::position:
        heard_.axes[entry.row].measured = true;
        heard_.axes[entry.row].position = value;
        break;
      case What::speed: heard_.axes[entry.row].speed = value; break;
      case What::input: heard_.inputs[entry.row].value = inputs_[entry.row].value_of(value); break;
      default: break;
    }
  }
  has_heard_ = true;
  heard_.measured = asked;
  heard_.took = now - asked;
  heard_.status = status;
  heard_.faults = faults;
  heard_.waits = wants_on_ && (state_ == nullptr || state_->is != DriveState::Is::on);
  ++heard_.number;
  say(faults, status);
  return true;
}

void RegisterTalk::say(std::uint32_t faults, std::uint16_t status) {
  const std::uint32_t fresh = faults & ~before_;
  before_ = faults;
  const std::string state = state_ == nullptr ? "" : state_->name;
  const auto add = [&](std::uint32_t bit, const std::string& words) {
    if ((fresh & bit) != 0) words_.push_back(name_ + ": " + words);
  };
  if (heard_.number == 1) {
    const bool has_status = map_.heard(What::word) != nullptr;
    const std::string words = has_status ? fmt::format("; its status is {:#06x}", status) : "";
    words_.push_back(fmt::format("{}: it answers{}{}", name_, words, state.empty() ? "" : ", '" + state + "'"));
  }
  add(registers_came_back, "it answers again");
  add(registers_wrong, "what it said was wrong, or no number");
  add(drive_has_fault, fmt::format("it has a fault: its status is {:#06x}, '{}'", status, state));
  add(drive_switched_off, fmt::format("it switched off by itself: its status is {:#06x}, '{}'", status, state));
  add(drive_not_on_in_time, fmt::format("it is not on after {:g} ms: its status is {:#06x}, '{}'",
                                        to_seconds(switch_on_) * 1e3, status, state));
  add(drive_in_no_state, fmt::format("its status {:#06x} is none of its states", status));
}

}  // namespace gyrax
