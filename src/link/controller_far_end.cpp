#include "input_line.hpp"

#include <gyrax/link/controller_far_end.hpp>
#include <gyrax/link/controller_talk.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cctype>
#include <cmath>
#include <optional>
#include <stdexcept>
#include <utility>

namespace gyrax {
namespace {

constexpr double inch_mm = 25.4, per_minute = 60;
constexpr std::size_t longest_line = 256;
constexpr double greatest_word = 1e9, greatest_number = 99'999;
/// It takes a corner without slowing down where an axis's speed changes by no more than its acceleration makes in this
/// time.
constexpr double corner_s = 0.02;
/// Ends an alarm; of the M words that ISO 6983 leaves to the machine.
constexpr int unlock_word = 90;
/// Its ends have room for what is rounded.
constexpr double end_room = 1e-6;
enum Wrong { bad_word = 20, bad_number = 21, bad_sum = 22, beyond_end = 33, no_feed = 34, in_alarm = 9, too_long = 24 };

sim::ControllerSetup controller_setup(const Rig& rig, LinkId link) {
  const LinkInfo& info = rig.links[index(link)];
  sim::ControllerSetup setup;
  for (const AxisSetup& axis : rig.setup.axes) {
    if (axis.wiring.link != link) continue;
    const MotionLimits& full = axis.limits.full();
    sim::ControllerAxisSetup one;
    one.speed = info.number("speed") > 0 ? info.number("speed") : full.speed;
    one.accel = info.number("accel") > 0 ? info.number("accel") : std::max(full.accel, full.decel);
    one.low = axis.limits.low() - end_room;
    one.high = axis.limits.high() + end_room;
    one.start = std::clamp(0.0, axis.limits.low(), axis.limits.high());
    one.corner = one.accel * corner_s;
    setup.axes.push_back(one);
  }
  setup.moves = static_cast<std::size_t>(info.dialect->takes_moves);
  return setup;
}

const LinkInfo& with_dialect(const Rig& rig, LinkId link) {
  const LinkInfo& info = rig.links[index(link)];
  if (!info.dialect) throw std::invalid_argument("link '" + info.name + "' has no dialect");
  return info;
}

}  // namespace

ControllerFarEnd::ControllerFarEnd(const Rig& rig, LinkId link)
    : link_(with_dialect(rig, link)), dialect_(*link_.dialect), machine_(controller_setup(rig, link)) {
  for (std::size_t a = 0; a < rig.axes.size(); ++a)
    if (rig.setup.axes[a].wiring.link == link) axes_.push_back(rig.axes[a]);
  for (const InputInfo& input : rig.inputs)
    if (input.link == link) inputs_.emplace_back(input.name, raw_of(input, input.start));
  switched_.resize(link_.switch_lines.size());
}

std::string ControllerFarEnd::answers() { return std::exchange(out_, {}); }
std::vector<std::string> ControllerFarEnd::seen() { return std::exchange(seen_, {}); }

void ControllerFarEnd::say_line(const std::string& line) {
  if (!is_silent_) out_ += line + "\r\n";
}

void ControllerFarEnd::acknowledge(const std::string& number) {
  const std::string line = dialect_.ack.fill([&](std::string_view place) { return place == "number" ? number : "0"; });
  say_line(line);
  if (to_double_ > 0 && to_double_-- > 0) say_line(line);
}

void ControllerFarEnd::refuse(const std::string& number, int code, const std::string& words) {
  seen_.push_back(fmt::format("it refuses a line: {} ({})", words, code));
  say_line(dialect_.error.fill([&](std::string_view place) {
    return place == "code" ? std::to_string(code) : place == "words" ? words : number.empty() ? "0" : number;
  }));
}

/// An input of that name, where the rig has one.
void ControllerFarEnd::set_homed(bool homed) {
  for (auto& [name, value] : inputs_)
    if (name == "homed") value = homed ? 1 : 0;
}

bool ControllerFarEnd::go_home() {
  constexpr double share = 0.2;
  std::vector<double> to(axes_.size());
  double speed = 0;
  for (std::size_t a = 0; a < axes_.size(); ++a) {
    to[a] = machine_.setup().axes[a].low + end_room;
    const double most = machine_.setup().axes[a].speed;
    if (std::abs(to[a] - machine_.end(a)) > end_room) speed = speed > 0 ? std::min(speed, most) : most;
  }
  homes_ = machine_.state() != sim::ControllerState::alarm && (speed == 0 || machine_.move(to, speed * share));
  return homes_;
}

void ControllerFarEnd::raise_alarm(const std::string& words) {
  machine_.alarm();
  set_homed(false);
  came_.clear();
  seen_.push_back("it has an alarm: " + words);
  if (!dialect_.alarm.empty()) say_line(dialect_.alarm.fill([&](std::string_view) { return words; }));
}

void ControllerFarEnd::restart() {
  machine_.restart();
  set_homed(false);
  came_.clear();
  inch_ = relative_ = true;
  feed_ = 0;
  next_number_ = 1;
  switched_.assign(switched_.size(), false);
  greet();
  seen_.push_back("it begins anew");
}

void ControllerFarEnd::greet() {
  say_line(dialect_.greeting.fill([](std::string_view) { return "1.0"; }));
}

double ControllerFarEnd::in_unit(double place, std::size_t axis) const {
  return dialect_.inch && axes_[axis].unit == "mm" ? place / inch_mm : place;
}

void ControllerFarEnd::say_status() {
  const sim::ControllerState is = machine_.state();
  const std::vector<std::string>& words = is == sim::ControllerState::alarm    ? dialect_.alarms
                                          : is == sim::ControllerState::paused ? dialect_.paused
                                          : is == sim::ControllerState::moving ? dialect_.moving
                                                                               : dialect_.idle;
  say_line(dialect_.status.fill([&](std::string_view place) -> std::string {
    if (place == "state") return words.empty() ? "none" : words.front();
    if (place.size() == 1)
      if (const std::size_t a = link_.letters.find(place[0]); a != std::string::npos)
        return fmt::format("{:.{}f}", in_unit(machine_.position(a), a), dialect_.decimals);
    for (const auto& [name, value] : inputs_)
      if (name == place) return fmt::format("{:.3f}", value);
    return "0";
  }));
}

void ControllerFarEnd::say_modes() {
  const std::string modes = fmt::format("{} {} G94", inch_ ? "G20" : "G21", relative_ ? "G91" : "G90");
  say_line(dialect_.modes_answer.fill([&](std::string_view place) { return place == "modes" ? modes : "0"; }));
}

void ControllerFarEnd::stop_at_once() {
  came_.clear();
  machine_.stop();
  ++stops_;
  seen_.push_back("it is told to stop at once");
}

void ControllerFarEnd::pause() {
  machine_.pause(true);
  seen_.push_back("it is told to pause");
}

void ControllerFarEnd::resume() {
  machine_.pause(false);
  seen_.push_back("it is told to go on");
}

void ControllerFarEnd::take_at_once(char c) {
  const std::string text(1, c);
  if (text == dialect_.status_ask) {
    say_status();
  } else if (text == dialect_.stop) {
    stop_at_once();
  } else if (text == dialect_.pause) {
    pause();
  } else if (text == dialect_.resume) {
    resume();
  } else if (text == dialect_.abort) {
    came_.clear();
    machine_.abort();
    set_homed(false);
    seen_.push_back("it is told to stand, and loses its position");
  }
}

void ControllerFarEnd::hear(std::span<const std::uint8_t> bytes) {
  for (const std::uint8_t byte : bytes) {
    const char c = static_cast<char>(byte);
    if (byte < 0x20 && c != '\n' && c != '\r') {
      take_at_once(c);
    } else if (came_.size() < static_cast<std::size_t>(dialect_.takes_bytes)) {
      came_ += c;
    } else {
      seen_.push_back("it has no room for what comes, and drops it");
    }
  }
}

void ControllerFarEnd::advance(std::uint64_t now_us) {
  for (;;) {
    const std::size_t end = came_.find_first_of("\r\n");
    if (end == std::string::npos) {
      if (came_.size() > longest_line) came_.clear();
      break;
    }
    const std::string line = came_.substr(0, end);
    if (!line.empty() && !carry_out(line)) break;  // it waits for room
    came_.erase(0, std::min(end + 1, came_.size()));
  }
  machine_.advance(now_us);
  look_at_probe();
  if (homes_ && machine_.state() != sim::ControllerState::moving) {
    homes_ = false;
    if (machine_.state() != sim::ControllerState::idle) return;
    set_homed(true);
    seen_.push_back("it is homed");
  }
}

/// It runs until its probe touches, and stands where it did.
void ControllerFarEnd::look_at_probe() {
  if (!probes_) return;
  const bool touches =
      std::ranges::any_of(inputs_, [](const auto& input) { return input.first == "probe" && input.second != 0; });
  if (touches) {
    machine_.stop();
    seen_.push_back("its probe touches");
    probes_ = false;
  } else if (machine_.state() == sim::ControllerState::idle) {
    probes_ = false;
    raise_alarm("probe");
  }
}

void ControllerFarEnd::do_modal(int code) {
  if (code == 20 || code == 21) inch_ = code == 20;
  if (code == 90 || code == 91) relative_ = code == 91;
}

/// False where there is no room for it yet.
bool ControllerFarEnd::carry_out(const std::string& line) {
  const auto parts = dialect_.line.match(line);
  if (!parts) {
    refuse("", bad_word, "'" + line + "'");
    return true;
  }
  const auto at = [&](const char* place) {
    const auto found = parts->find(place);
    return found == parts->end() ? std::string() : std::string(found->second);
  };
  const std::string number = at("number"), sum = at("sum"), words_text = at("words");
  std::vector<Word> words;
  if (words_text != dialect_.status_ask && words_text != dialect_.modes_ask && words_text != dialect_.stop &&
      (dialect_.pause.empty() || (words_text != dialect_.pause && words_text != dialect_.resume))) {
    for (std::size_t i = 0; i < words_text.size();) {
      if (words_text[i] == ' ') {
        ++i;
        continue;
      }
      const std::size_t end = std::min(words_text.find_first_not_of("+-.0123456789", i + 1), words_text.size());
      const auto value = wire::number_of(std::string_view(words_text).substr(i + 1, end - i - 1));
      if (!value || std::abs(*value) > greatest_word || std::isupper(static_cast<unsigned char>(words_text[i])) == 0) {
        refuse(number, bad_word, "'" + words_text + "'");
        return true;
      }
      words.push_back({words_text[i], *value});
      i = end;
    }
    const bool moves =
        std::ranges::any_of(words, [&](const Word& w) { return link_.letters.find(w.letter) != std::string::npos; });
    if (moves && !machine_.has_room() && machine_.state() != sim::ControllerState::alarm) return false;
  }
  if (to_lose_ > 0) {
    --to_lose_;
    seen_.push_back("it loses '" + words_text + "'");
    return true;
  }
  if (!sum.empty() && sum != sum_of(line.substr(0, line.size() - sum.size()))) {
    refuse(number, bad_sum, "check sum");
    return true;
  }
  if (!number.empty()) {
    const auto count = wire::number_of(number);
    // The first begins a new count.
    if (!count || *count > greatest_number || (*count != 1 && *count != next_number_)) {
      refuse(number, bad_number, fmt::format("line {} was expected", next_number_));
      return true;
    }
    next_number_ = static_cast<std::uint32_t>(*count) % 99'999 + 1;
  }
  if (std::exchange(refuses_, false)) {
    refuse(number, bad_word, "not now");
    return true;
  }
  if (words_text == dialect_.status_ask) {
    say_status();
  } else if (words_text == dialect_.modes_ask) {
    say_modes();
  } else if (words_text == dialect_.stop) {
    stop_at_once();
  } else if (!dialect_.pause.empty() && words_text == dialect_.pause) {
    pause();
  } else if (!dialect_.resume.empty() && words_text == dialect_.resume) {
    resume();
  } else if (!do_words(words, number)) {
    return true;
  }
  acknowledge(number);
  return true;
}

/// False where it refused them.
bool ControllerFarEnd::do_words(const std::vector<Word>& words, const std::string& number) {
  std::vector<double> to(axes_.size());
  for (std::size_t a = 0; a < axes_.size(); ++a) to[a] = machine_.end(a);
  bool moves = false, homes = false, probes = false;
  std::string text;
  for (const Word& word : words) {
    text += fmt::format("{}{}{:g}", text.empty() ? "" : " ", word.letter, word.number);
    const std::size_t axis = link_.letters.find(word.letter);
    const auto code = static_cast<int>(word.number);
    if (axis != std::string::npos) {
      const double place = word.number * (inch_ && axes_[axis].unit == "mm" ? inch_mm : 1);
      to[axis] = relative_ ? to[axis] + place : place;
      moves = true;
    } else if (word.letter == 'F') {
      feed_ = word.number * (inch_ ? inch_mm : 1) / per_minute;
    } else if (word.letter == 'G' && (code == 20 || code == 21 || code == 90 || code == 91)) {
      do_modal(code);
    } else if (word.letter == 'M' && code == unlock_word) {
      machine_.clear();
      seen_.push_back("it is told that its alarm is over");
    } else if (word.letter == 'G' && code == 28) {
      homes = true;
    } else if (word.letter == 'G' && code == 31) {
      probes = true;
    } else if (word.letter != 'M' && word.letter != 'S' &&
               !(word.letter == 'G' && (code == 0 || code == 1 || code == 94))) {
      refuse(number, bad_word, fmt::format("'{}{:g}'", word.letter, word.number));
      return false;
    }
  }
  for (std::size_t s = 0; s < switched_.size(); ++s) {
    if (text != link_.switch_lines[s].first && text != link_.switch_lines[s].second) continue;
    switched_[s] = text == link_.switch_lines[s].first;
    seen_.push_back("told " + text);
  }
  if (homes) {
    if (go_home()) return true;
    refuse(number, in_alarm, "it has an alarm");
    return false;
  }
  if (!moves) return true;
  const int wrong = machine_.state() == sim::ControllerState::alarm ? in_alarm : feed_ > 0 ? beyond_end : no_feed;
  if (machine_.move(to, feed_)) {
    probes_ = probes;
    return true;
  }
  refuse(number, wrong, wrong == in_alarm ? "it has an alarm" : wrong == no_feed ? "no feed" : "beyond an end");
  return false;
}

}  // namespace gyrax
