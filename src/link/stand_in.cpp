#include "home_switch.hpp"
#include "input_line.hpp"

#include <gyrax/handset/controls.hpp>
#include <gyrax/link/stand_in.hpp>

#include <fmt/format.h>

#include <linux/input-event-codes.h>
#include <poll.h>

#include <algorithm>
#include <array>
#include <chrono>
#include <random>
#include <stdexcept>

namespace gyrax {
namespace {

// A board is built with a little more than a rig asks of it.
constexpr double room_above = 1.2;
constexpr std::size_t most_channels = 64;
constexpr double more_us = 150;  // of a servo, beyond both ends of its travel

std::uint64_t steady_us() {
  return static_cast<std::uint64_t>(
      std::chrono::duration_cast<std::chrono::microseconds>(std::chrono::steady_clock::now().time_since_epoch())
          .count());
}

sim::BoardChannel stand_in_channel(const BoardChannel& wanted) {
  sim::BoardChannel made;
  made.name = !wanted.pin.empty() ? wanted.pin : fmt::format("P{}.{}", wanted.number / 16, wanted.number % 16);
  made.kind = static_cast<std::uint8_t>(wanted.kind);
  made.low = wanted.low / 256.0;
  made.high = wanted.high / 256.0;
  if (!is_output(wanted.kind)) return made;
  made.speed = room_above * wanted.speed / 256.0;
  made.accel = room_above * wanted.accel / 256.0;
  if (wanted.kind == wire::ChannelKind::servo) {
    // More than the rig's travel, as a servo does.
    made.low -= more_us;
    made.high += more_us;
  }
  made.servo_speed = 2 * made.speed;
  made.most_steps = 2 * made.speed;
  return made;
}

const Rig& with_board(const Rig& rig, LinkId link) {
  const LinkInfo& info = rig.links[index(link)];
  if (info.kind != "board")
    throw std::invalid_argument(fmt::format("link {} is of the kind \"{}\", not \"board\"", info.name, info.kind));
  return rig;
}

bool on_one_bus(const LinkInfo& one, const LinkInfo& other) {
  return one.text("duplex") == "half" && !one.text("serial").empty() && one.text("serial") == other.text("serial");
}

struct Breaks {
  const char* word;
  sim::BoardFault fault;
  const char* says;
};
constexpr double usual_act_s = 0.5;
constexpr Breaks breaks[] = {{"cut", sim::BoardFault::cut, "its cable is out"},
                             {"noisy", sim::BoardFault::noisy, "one byte in a hundred is spoiled"},
                             {"slow", sim::BoardFault::slow, "its loop runs every 20 ms"},
                             {"hung", sim::BoardFault::hung, "its loop hangs"},
                             {"stuck", sim::BoardFault::stuck, "nothing that hangs on it moves"},
                             {"sag", sim::BoardFault::sags, "its supply sags: a third of every speed"},
                             {"mend", sim::BoardFault::none, "it is well again"}};

}  // namespace

sim::BoardSetup stand_in_setup(const Rig& rig, LinkId link, std::uint64_t seed) {
  const BoardSetup wanted = board_setup(rig, link);
  sim::BoardSetup setup;
  setup.name = wanted.name + " stand-in";
  setup.address = wanted.address;
  setup.bytes_per_s = wanted.bytes_per_s;
  setup.seed = seed;
  const std::size_t count = wanted.channels.empty() ? 0 : wanted.channels.back().number + std::size_t{1};
  setup.channels.resize(count);
  // Between the rig's channels there are inputs that nobody reads.
  for (sim::BoardChannel& channel : setup.channels) channel = {.name = "-", .kind = 5};
  for (const BoardChannel& channel : wanted.channels) setup.channels[channel.number] = stand_in_channel(channel);
  return setup;
}

namespace {

std::vector<sim::Board> others_on_the_bus(const Rig& rig, LinkId link) {
  std::vector<sim::Board> others;
  for (std::size_t l = 0; l < rig.links.size(); ++l)
    if (id_at<LinkId>(l) != link && rig.links[l].kind == "board" && on_one_bus(rig.links[l], rig.links[index(link)]))
      others.emplace_back(stand_in_setup(rig, id_at<LinkId>(l), std::random_device{}()));
  return others;
}

}  // namespace

ServedBoard::ServedBoard(const sim::BoardSetup& setup, wire::Place place, std::vector<sim::Board> others)
    : board_(setup), others_(std::move(others)), place_(std::move(place)), port_(place_), began_us_(steady_us()) {
  seen_.push_back(fmt::format("board {} with {} channels serves {}{}", setup.address, board_.channels(), place_.words(),
                              others_.empty() ? "" : fmt::format(", with {} more on it", others_.size())));
}

std::uint64_t ServedBoard::now_us() const { return steady_us() - began_us_; }

void ServedBoard::exchange() {
  std::array<std::uint8_t, 1024> room{};
  for (auto came = port_.read(room); !came.empty(); came = port_.read(room)) {
    board_.put(came, now_us());
    for (sim::Board& other : others_) other.put(came, now_us());
  }
  const std::uint64_t now = now_us();
  act(board_, now);
  const auto pass_on = [&](sim::Board& board) {
    board.advance(now);
    std::size_t count = 0;
    while (count < room.size() && board.get(room[count], now)) ++count;
    if (count > 0) port_.write(std::span(room).first(count));
  };
  pass_on(board_);
  for (sim::Board& other : others_) pass_on(other);
}

void ServedBoard::run(Span span, int waits_for) {
  const auto end = std::chrono::steady_clock::now() + span;
  while (std::chrono::steady_clock::now() < end) {
    std::array<pollfd, 2> waits{{{port_.descriptor(), POLLIN, 0}, {waits_for, POLLIN, 0}}};
    // Bytes under way come off the wire a tenth of a millisecond apart.
    const timespec shortly{0, 300'000};
    ::ppoll(waits.data(), waits.size(), &shortly, nullptr);
    exchange();
    if ((waits[1].revents & (POLLIN | POLLHUP)) != 0) return;
  }
}

std::string ServedBoard::take(const std::string& line) {
  for (const Breaks& one : breaks) {
    if (line != one.word) continue;
    board_.break_with(one.fault);
    if (one.fault == sim::BoardFault::none) board_.act_for(usual_act_s);
    seen_.emplace_back(one.says);
    return {};
  }
  if (line == "restart") {
    board_.restart();
    seen_.emplace_back("its power went and came back");
    return {};
  }
  if (const auto own = take_own(board_, line)) return *own;
  if (line.starts_with("fail ")) {
    board_.act_for(usual_act_s, line.substr(5));
    seen_.emplace_back("what a message tells it fails from now on");
    return {};
  }
  if (line.starts_with("print ")) {
    board_.print(line.substr(6).c_str());
    return {};
  }
  return fmt::format(
      "there is no '{}'; it takes cut, noisy, slow, hung, stuck, sag, mend, restart, print TEXT, fail TEXT, quit, of "
      "a board input NAME VALUE, of a handset pause and play",
      line);
}

std::vector<std::string> ServedBoard::seen() {
  if (board_.session() != session_) {
    session_ = board_.session();
    seen_.push_back(session_ == 0 ? "nobody has greeted it" : fmt::format("greeted: session {:08x}", session_));
  }
  for (std::string& line : board_.acted()) seen_.push_back(std::move(line));
  return std::exchange(seen_, {});
}

// ---- A rig's board ----

StandIn::StandIn(const Rig& rig, LinkId link)
    : ServedBoard(stand_in_setup(with_board(rig, link), link, std::random_device{}()),
                  wire_place(rig.links[index(link)]), others_on_the_bus(rig, link)),
      wanted_(board_setup(rig, link)),
      input_channels_(rig.links[index(link)].input_channels),
      status_(wanted_.channels.size(), wire::by_itself) {
  for (const InputInfo& input : rig.inputs)
    if (input.link == link) inputs_.push_back(input);
  const LinkInfo& info = rig.links[index(link)];
  for (const HomeSwitch& one : home_switches(rig, link, std::vector<double>(info.axis_channels.size()))) {
    const ChannelInfo& axis = info.axis_channels[rig.setup.axes[index(one.axis)].wiring.channel];
    const InputInfo& input = rig.inputs[index(one.input)];
    met_.push_back({axis.number, input_channels_[input.channel].number, one.at * axis.steps / axis.per,
                    one.up != (axis.steps / axis.per < 0), input.inverted});
  }
}

void StandIn::act(sim::Board& board, std::uint64_t) {
  for (const Met& one : met_) {
    const double at = board.position(one.axis);
    const bool is_on = one.up ? at >= one.at : at <= one.at;
    board.set_input(one.input, is_on != one.inverted ? 1 : 0);
  }
}

std::optional<std::string> StandIn::take_own(sim::Board& board, const std::string& line) {
  if (!line.starts_with("input ")) return std::nullopt;
  const InputLine read = read_input_line(line, inputs_, "board", true);
  if (!read.wrong.empty()) return read.wrong;
  const std::uint8_t channel = input_channels_[inputs_[read.row].channel].number;
  // Whoever plays says what it is from now on.
  std::erase_if(met_, [&](const Met& one) { return one.input == channel; });
  board.set_input(channel, read.raw.value_or(0), read.raw.has_value());
  say(read.says);
  return "";
}

std::string StandIn::words_of(std::size_t row) const {
  const BoardChannel& channel = wanted_.channels[row];
  const double at = board().position(channel.number);
  switch (channel.kind) {
    case wire::ChannelKind::servo:
      return board().driven(channel.number) ? fmt::format("{} {:.1f} µs", channel.name, at)
                                            : fmt::format("{} no pulse", channel.name);
    case wire::ChannelKind::stepper:
      return fmt::format("{} {:.0f} steps{}", channel.name, at, board().driven(channel.number) ? "" : ", no power");
    case wire::ChannelKind::motor: return fmt::format("{} {:.1f} %", channel.name, at * 100);
    case wire::ChannelKind::on_off: return fmt::format("{} {}", channel.name, at > 0.5 ? "on" : "off");
    default: return fmt::format("{} {:g}", channel.name, at);
  }
}

std::string StandIn::moved() {
  std::string all;
  told_.resize(wanted_.channels.size());
  for (std::size_t row = 0; row < told_.size(); ++row) {
    std::string now = words_of(row);
    if (now != told_[row]) all += (all.empty() ? "" : ", ") + now;
    told_[row] = std::move(now);
  }
  return all;
}

std::vector<std::string> StandIn::seen() {
  std::vector<std::string> all = ServedBoard::seen();
  std::string alone;
  for (std::size_t row = 0; row < status_.size(); ++row) {
    if (!is_output(wanted_.channels[row].kind)) continue;
    const std::uint8_t status = board().status(wanted_.channels[row].number);
    if ((status & wire::by_itself) != 0 && (status_[row] & wire::by_itself) == 0)
      alone += (alone.empty() ? "" : ", ") + words_of(row);
    status_[row] = status;
  }
  if (!alone.empty()) all.push_back("hears nothing valid, and acts by itself: " + alone);
  return all;
}

// ---- A handset ----

namespace {

/// A channel for each control, in the order of their codes; a hat's axis is two keys.
struct Parts {
  std::vector<sim::BoardChannel> channels;
  std::map<std::pair<std::uint16_t, std::uint16_t>, std::size_t> by_code;
};

bool is_hat(std::uint16_t code) { return code == ABS_HAT0X || code == ABS_HAT0Y; }

Parts parts_of(const Device& device) {
  Parts parts;
  const auto add = [&](std::uint16_t type, std::uint16_t code, int side, wire::ChannelKind kind, double low,
                       double high) {
    const ControlName* control = control_on(device, type, code, side);
    if (control == nullptr) return;
    parts.by_code.try_emplace({type, code}, parts.channels.size());
    parts.channels.push_back(
        {.name = control->name, .kind = static_cast<std::uint8_t>(kind), .low = low, .high = high});
  };
  for (const std::uint16_t code : device.keys) add(EV_KEY, code, 0, wire::ChannelKind::digital, 0, 1);
  for (const std::uint16_t code : device.relative) add(EV_REL, code, 0, wire::ChannelKind::encoder, 0, 0);
  for (const auto& [code, range] : device.absolute) {
    if (is_hat(code))
      for (const int side : {-1, 1}) add(EV_ABS, code, side, wire::ChannelKind::digital, 0, 1);
    else
      add(EV_ABS, code, 0, wire::ChannelKind::analog, range.minimum, range.maximum);
  }
  return parts;
}

sim::BoardSetup handset_setup(const Track& track, const WiredPlace& place) {
  sim::BoardSetup setup;
  setup.name = as_text(track.device.name);
  setup.address = place.address;
  setup.bytes_per_s = place.wire.bytes_per_s();
  setup.channels = parts_of(track.device).channels;
  setup.seed = std::random_device{}();
  if (setup.channels.size() > most_channels)
    throw std::runtime_error(fmt::format("{} has {} controls; a board has {} channels at most", setup.name,
                                         setup.channels.size(), most_channels));
  return setup;
}

}  // namespace

HandsetStandIn::HandsetStandIn(const Track& track, const WiredPlace& place)
    : ServedBoard(handset_setup(track, place), place.wire, {}),
      track_(track),
      channels_(parts_of(track.device).by_code),
      counts_(board().channels()) {}

std::optional<std::string> HandsetStandIn::take_own(sim::Board&, const std::string& line) {
  if (line != "pause" && line != "play") return std::nullopt;
  paused_ = line == "pause";
  return "";
}

void HandsetStandIn::act(sim::Board& board, std::uint64_t now_us) {
  if (!now_us_) {
    // Sticks stand where the recording has them first.
    for (const auto& [code, range] : track_.device.absolute)
      if (const auto first = std::ranges::find_if(
              track_.events, [&, wanted = code](const InputEvent& e) { return e.type == EV_ABS && e.code == wanted; });
          first != track_.events.end() && !is_hat(code))
        play(board, *first);
    if (board.session() == 0) return;
    now_us_ = now_us;
    say(fmt::format("its recording begins: {} events", track_.events.size()));
  }
  const std::uint64_t passed_us = now_us - std::exchange(*now_us_, now_us);
  if (paused_) return;
  played_us_ += passed_us;
  for (; next_ < track_.events.size(); ++next_) {
    const InputEvent& event = track_.events[next_];
    const auto due_us = static_cast<std::uint64_t>(std::max<std::int64_t>(0, event.time_us));
    if (due_us > played_us_) return;
    // However late this process is: the board sees each press while it lasts.
    board.advance(now_us - (played_us_ - due_us));
    play(board, event);
    if (next_ + 1 == track_.events.size()) say("its recording is over");
  }
}

void HandsetStandIn::play(sim::Board& board, const InputEvent& event) {
  const auto found = channels_.find({event.type, event.code});
  if (found == channels_.end()) return;
  const std::size_t channel = found->second;
  if (event.type == EV_REL) {
    board.set_input(channel, counts_[channel] += event.value);
  } else if (event.type == EV_ABS && is_hat(event.code)) {
    board.set_input(channel, event.value < 0 ? 1 : 0);
    board.set_input(channel + 1, event.value > 0 ? 1 : 0);
  } else if (event.type == EV_ABS || event.value != 2) {
    board.set_input(channel, event.value);
  }
}

}  // namespace gyrax
