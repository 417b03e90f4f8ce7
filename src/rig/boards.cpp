#include "boards.hpp"

#include <gyrax/output/drive.hpp>
#include <gyrax/wire/board.hpp>
#include <gyrax/wire/port.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <array>

namespace gyrax {
namespace {

constexpr std::array<const char*, 4> loss_names{"stay", "limp", "place", "off"};
constexpr double most_steps = 1e9;

bool is_board(const LinkInfo& link) { return link.kind == "board"; }

/// An axis's keys on a link that has no channels are told, and what would be right.
void refuse_keys(Table& table, const LinkInfo& link, std::initializer_list<const char*> keys) {
  for (const char* key : keys) {
    if (!table.has(key)) continue;
    table.allow(key);
    table.problem(Code::unknown_key, key,
                  fmt::format("link {} is of the kind \"{}\" and has no channels", link.name, link.kind),
                  "leave it out; or kind = \"board\" for that link");
  }
}

void read_number(Table& table, const LinkInfo& link, ChannelInfo& channel) {
  const auto number = table.whole("channel", {0, 63, false, ""});
  if (!table.has("channel"))
    table.missing("channel", fmt::format("the number of its channel on {}, 0 to 63", link.name));
  if (!number) return;
  channel.number = static_cast<std::uint8_t>(*number);
  channel.pin = table.text("pin").value_or("");
  for (const auto* list : {&link.axis_channels, &link.switch_channels, &link.input_channels})
    for (const ChannelInfo& other : *list)
      if (other.number == channel.number && other.read)
        table.problem(Code::duplicate_name, "channel",
                      fmt::format("channel {} of {} is {}'s already", *number, link.name, other.name),
                      "a channel that nothing else is on");
  channel.read = true;
}

/// "[16000, 40]": so many steps move it by so many of its units.
void read_steps(Table& table, ChannelInfo& channel) {
  const Allowed allowed{-most_steps, most_steps, false, ""};
  const std::vector<double> pair = table.numbers("steps", allowed);
  if (table.told("steps")) return;
  const bool holds = pair.size() == 2 && pair[0] == static_cast<double>(static_cast<long long>(pair[0])) &&
                     pair[0] != 0 && pair[1] > 0;
  if (holds) {
    channel.steps = pair[0];
    channel.per = pair[1];
    return;
  }
  table.problem(Code::out_of_range, "steps", "is no number of steps and how far they move it",
                "a pair [steps, way]: whole steps, below 0 where they run the other way, and a way above 0; "
                "[16000, 40] for 400 steps a mm");
}

void read_lost(Table& table, const AxisSetup& axis, ChannelInfo& channel) {
  channel.lost = channel.kind == wire::ChannelKind::motor ? wire::Loss::off : wire::Loss::stay;
  if (!table.has("lost")) return;
  if (!table.is_table("lost")) {
    if (const auto word = table.choice("lost", {"stay", "limp", "off"}))
      channel.lost = static_cast<wire::Loss>(std::ranges::find(loss_names, *word) - loss_names.begin());
    return;
  }
  Table lost = *table.table("lost");
  const auto place = lost.number("place", {axis.limits.low(), axis.limits.high(), false, "unit"});
  const auto speed = lost.number("speed", {0, axis.limits.speed(), true, "unit/s"});
  if (!lost.has("place")) lost.missing("place", "where it goes, inside its travel");
  if (!lost.has("speed")) lost.missing("speed", "how fast it goes there, at most its own speed");
  if (channel.kind == wire::ChannelKind::motor)
    table.problem(Code::wrong_type, "lost", "a motor has no place", "\"off\" or \"limp\"");
  lost.refuse_the_rest();
  channel.lost = wire::Loss::place;
  channel.place = place.value_or(0);
  channel.place_speed = speed.value_or(0);
}

}  // namespace

const char* loss_words(wire::Loss loss) noexcept {
  switch (loss) {
    case wire::Loss::stay: return "slows down and stays";
    case wire::Loss::limp: return "has no power at once";
    case wire::Loss::off: return "slows down, then has no power";
    case wire::Loss::place: return "goes to its place";
  }
  return "";
}

void read_channel(Table& table, LinkInfo& link, const AxisSetup& axis, const std::string& name) {
  if (!is_board(link)) return refuse_keys(table, link, {"channel", "pin", "steps", "lost"});
  ChannelInfo channel;
  channel.name = name;
  const bool is_servo = std::holds_alternative<ServoMap>(axis.drive);
  channel.kind = is_servo               ? wire::ChannelKind::servo
                 : is_place(axis.drive) ? wire::ChannelKind::stepper
                                        : wire::ChannelKind::motor;
  read_number(table, link, channel);
  if (channel.kind == wire::ChannelKind::stepper) {
    if (table.has("steps"))
      read_steps(table, channel);
    else
      table.missing("steps", "a pair [steps, way]: [16000, 40] for 400 steps a mm; or servo = { … } for a servo");
  }
  read_lost(table, axis, channel);
  link.axis_channels.push_back(channel);
}

void read_channel(Table& table, LinkInfo& link, const SwitchSetup& one, const std::string& name) {
  if (!is_board(link)) return refuse_keys(table, link, {"channel", "pin"});
  ChannelInfo channel;
  channel.name = name;
  channel.kind = wire::ChannelKind::on_off;
  constexpr wire::Loss losses[] = {wire::Loss::off, wire::Loss::place, wire::Loss::stay};
  channel.lost = losses[static_cast<std::size_t>(one.becomes[static_cast<std::size_t>(Cause::link_silent)])];
  channel.place = 1;
  read_number(table, link, channel);
  link.switch_channels.push_back(channel);
}

void read_channel(Table& table, LinkInfo& link, const InputInfo& input) {
  if (!is_board(link)) return refuse_keys(table, link, {"channel", "pin"});
  ChannelInfo channel;
  channel.name = input.name;
  channel.kind = input.unit.empty() ? wire::ChannelKind::digital : wire::ChannelKind::analog;
  read_number(table, link, channel);
  link.input_channels.push_back(channel);
}

void read_load(Table& table, LinkInfo& link, const std::string& name) {
  auto amps = table.table("amps");
  if (!amps) return;
  const Allowed amperes{0, most_amps, false, "A"};
  Load load{name, amps->number("moving", amperes, 0), amps->number("standing", amperes, 0)};
  if (!amps->has("moving")) amps->missing("moving", "what it takes at most, in A; { moving = 1.2, standing = 0.3 }");
  amps->refuse_the_rest();
  link.loads.push_back(load);
}

void read_load_of_switch(Table& table, LinkInfo& link, const std::string& name) {
  const double amps = table.number("amps", {0, most_amps, false, "A"}, 0);
  if (amps > 0) link.loads.push_back({name, amps, amps});
}

double most_taken(const LinkInfo& link) {
  double sum = 0;
  for (const Load& load : link.loads) sum += std::max(load.moving, load.standing);
  return sum;
}

std::string supply_words(const LinkInfo& link) {
  if (link.loads.empty())
    return link.supply_a == 0 ? "" : fmt::format("{:g} A; nothing says what it takes", link.supply_a);
  double standing = 0;
  for (const Load& load : link.loads) standing += load.standing;
  return fmt::format("{:.4g}{} A when everything moves, {:.4g} A while it stands", most_taken(link),
                     link.supply_a == 0 ? "" : fmt::format(" of {:g}", link.supply_a), standing);
}

bool is_half_duplex(const LinkInfo& link) { return is_board(link) && link.text("duplex") == "half"; }

bool share_wire(const LinkInfo& one, const LinkInfo& other) {
  const auto both_at = [&](const char* key) {
    const auto here = one.texts.find(key), there = other.texts.find(key);
    return here != one.texts.end() && there != other.texts.end() && !here->second.empty() &&
           here->second == there->second;
  };
  const bool can_share_tcp = one.kind == "modbus" && other.kind == "modbus";
  const bool take_none = one.kind == "controller" && other.kind == "controller";
  return both_at("serial") || ((can_share_tcp || take_none) && both_at("tcp"));
}

namespace {

/// As if it had its wire for itself.
BoardTimes times_alone(const LinkInfo& link) {
  // A board of firmware/ takes frames of so many bytes, unless it is built otherwise.
  constexpr std::size_t usual_frame = 128;
  std::vector<std::uint8_t> numbers;
  for (const auto* list : {&link.axis_channels, &link.switch_channels, &link.input_channels})
    for (const ChannelInfo& channel : *list) numbers.push_back(channel.number);
  std::ranges::sort(numbers);
  BoardTimes times;
  times.channels = numbers.size();
  wire::Place place;
  place.serial = link.text("serial");
  place.baud = static_cast<int>(link.number("baud"));
  times.bytes_per_s = place.bytes_per_s();
  const std::size_t longest = std::min(usual_frame, wire::longest_frame(times.bytes_per_s));
  const auto runs = wire::runs_of(numbers, longest);
  for (const wire::Run& run : runs) {
    times.set_bytes += wire::set_bytes(run.rows);
    times.report_bytes += wire::report_bytes(run.rows);
  }
  times.frame_s = 1 / link.number("rate_hz");
  if (times.bytes_per_s == 0) return times;
  times.set_s = static_cast<double>(times.set_bytes) / times.bytes_per_s;
  times.round_trip_s = times.set_s + static_cast<double>(times.report_bytes) / times.bytes_per_s;
  times.share = static_cast<double>(std::max(times.set_bytes, times.report_bytes)) / times.bytes_per_s / times.frame_s;
  double turnaround_s = 0;
  if (is_half_duplex(link)) {
    // A slot for each frame: it goes, the board turns round, the answer comes.
    turnaround_s = wire::longest_turnaround_s;
    times.round_trip_s += static_cast<double>(runs.size()) * turnaround_s;
    times.share = times.round_trip_s / times.frame_s;
  }
  if (link.longest_message == 0) return times;
  // A message may go before the set, and goes on being asked about between sets.
  const double first_s = static_cast<double>(wire::message_bytes(link.longest_message)) / times.bytes_per_s;
  const double asked_s = static_cast<double>(wire::message_bytes(0)) / times.bytes_per_s;
  const double slots = is_half_duplex(link) ? 2 * asked_s + turnaround_s : asked_s;
  times.set_s += first_s;
  times.round_trip_s += first_s + asked_s + turnaround_s;
  times.share += slots * 1e3 / wire::message_every_ms;
  return times;
}

}  // namespace

BoardTimes board_times(const std::vector<LinkInfo>& links, const LinkInfo& link) {
  BoardTimes times = times_alone(link);
  if (!is_half_duplex(link)) return times;
  const double own_s = times.round_trip_s;
  for (const LinkInfo& other : links) {
    if (other.name == link.name || !share_wire(link, other)) continue;
    const BoardTimes turn = times_alone(other);
    ++times.boards;
    times.share += turn.share;
    // At the worst each of the others is served first.
    times.round_trip_s += turn.round_trip_s;
  }
  times.set_s += times.round_trip_s - own_s;
  return times;
}

std::string load_words(const std::vector<LinkInfo>& links, const LinkInfo& link) {
  const BoardTimes times = board_times(links, link);
  std::string share;
  if (is_half_duplex(link))
    share = fmt::format("; {} board{} take turns, {:.0f} % of the bus", times.boards, times.boards == 1 ? "" : "s",
                        times.share * 100);
  else if (times.bytes_per_s > 0)
    share = fmt::format(", {:.0f} % of the wire", times.share * 100);
  return fmt::format("{} channels: {} bytes there and {} back{}", times.channels, times.set_bytes, times.report_bytes,
                     share);
}

std::string channel_words(const LinkInfo& link, const ChannelInfo& channel) {
  std::string words = fmt::format("{} on channel {} of {}", name_of(channel.kind), channel.number, link.name);
  if (!channel.pin.empty()) words += fmt::format(", pin {}", channel.pin);
  if (channel.kind == wire::ChannelKind::stepper)
    words += fmt::format(", {:g} steps for {:g}", channel.steps, channel.per);
  words += "; when it hears nothing it ";
  if (channel.kind == wire::ChannelKind::on_off)
    return words + (channel.lost == wire::Loss::off     ? "goes off"
                    : channel.lost == wire::Loss::place ? "goes on"
                                                        : "stays as it is");
  words += loss_words(channel.lost);
  if (channel.lost == wire::Loss::place)
    words += fmt::format(" {:g}, {:g} a second", channel.place, channel.place_speed);
  return words;
}

}  // namespace gyrax
