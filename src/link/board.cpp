#include <gyrax/base/nano.hpp>
#include <gyrax/link/board.hpp>
#include <gyrax/output/drive.hpp>

#include <algorithm>
#include <cmath>
#include <random>

namespace gyrax {
namespace {

__extension__ using Wide = __int128;

constexpr std::int64_t q16 = 65536, q8 = 256, millionths = 1'000'000;

/// number · by / of, to the nearest, halves away from zero.
std::int64_t scaled(std::int64_t number, std::int64_t by, std::int64_t of) noexcept {
  const Wide product = Wide{number} * by;
  return static_cast<std::int64_t>((product + (product < 0 ? -of : of) / 2) / of);
}

std::int32_t q8_of(double value) noexcept {
  return static_cast<std::int32_t>(std::clamp(std::round(value * q8), -2147483648.0, 2147483647.0));
}
std::uint32_t q8_rate(double value) noexcept {
  return static_cast<std::uint32_t>(std::clamp(std::floor(value * q8), 0.0, 4294967295.0));
}

/// Units of the channel in one of the axis.
double channel_units(const AxisSetup& axis, const ChannelInfo& channel) {
  switch (channel.kind) {
    case wire::ChannelKind::stepper: return channel.steps / channel.per;
    case wire::ChannelKind::motor: return 0.01;
    default: return 1 / std::abs(meaning_of(axis.drive).scale);
  }
}

double in_channel(const AxisSetup& axis, const ChannelInfo& channel, double position) {
  if (const auto* servo = std::get_if<ServoMap>(&axis.drive)) return servo->pulse_us(position);
  return position * channel_units(axis, channel);
}

BoardChannel board_channel(const AxisSetup& axis, const ChannelInfo& channel, const std::string& name) {
  const double units = channel_units(axis, channel);
  const MotionLimits& full = axis.limits.full();
  BoardChannel made{.number = channel.number, .kind = channel.kind, .name = name, .pin = channel.pin, .becomes = {}};
  made.becomes.loss = channel.lost;
  if (channel.lost == wire::Loss::place) {
    made.becomes.place = q8_of(in_channel(axis, channel, channel.place));
    made.becomes.place_speed = q8_rate(channel.place_speed * units);
  }
  if (channel.kind == wire::ChannelKind::motor) {
    made.low = q8_of(-full.speed * units);
    made.high = q8_of(full.speed * units);
    made.speed = q8_rate(std::max(full.accel, full.decel) * units);
    return made;
  }
  // One that Gyrax homes counts from wherever it stands: as far as its travel is long, and as homing may run, both
  // ways.
  const double span = axis.limits.high() - axis.limits.low() + axis.homing.way;
  const double first = axis.homing.any() ? -span : axis.limits.low(),
               last = axis.homing.any() ? span : axis.limits.high();
  const auto [low, high] = std::minmax({in_channel(axis, channel, first), in_channel(axis, channel, last)});
  made.low = q8_of(low);
  made.high = q8_of(high);
  made.speed = q8_rate(full.speed * units);
  made.accel = q8_rate(std::max(full.accel, full.decel) * units);
  return made;
}

BoardChannel board_channel(const SwitchSetup& one, const ChannelInfo& channel, const std::string& name) {
  constexpr wire::Loss losses[] = {wire::Loss::off, wire::Loss::place, wire::Loss::stay};
  BoardChannel made{.number = channel.number, .kind = channel.kind, .name = name, .pin = channel.pin, .becomes = {}};
  // Off, on and keep, as Becomes has them.
  made.becomes.loss = losses[static_cast<std::size_t>(one.becomes[static_cast<std::size_t>(Cause::link_silent)])];
  made.becomes.place = made.becomes.loss == wire::Loss::place ? q8 : 0;
  made.high = q8;
  return made;
}

std::size_t row_of(const BoardSetup& setup, std::uint8_t number) {
  const auto row = std::ranges::find(setup.channels, number, &BoardChannel::number);
  return static_cast<std::size_t>(row - setup.channels.begin());
}

}  // namespace

BoardSetup board_setup(const Rig& rig, LinkId link) {
  const LinkInfo& info = rig.links[index(link)];
  BoardSetup setup;
  setup.name = info.name;
  setup.address = static_cast<std::uint8_t>(info.number("address"));
  setup.max_round_trip = from_seconds(info.number("round_trip_ms") / 1e3);
  setup.frame_every = from_seconds(1 / info.number("rate_hz"));
  setup.valid_for = rig.setup.links[index(link)].frame_valid_for;
  setup.bytes_per_s = wire_place(info).bytes_per_s();
  for (std::size_t a = 0; a < rig.axes.size(); ++a)
    if (const AxisSetup& axis = rig.setup.axes[a]; axis.wiring.link == link)
      setup.channels.push_back(board_channel(axis, info.axis_channels[axis.wiring.channel], rig.axes[a].name));
  for (std::size_t s = 0; s < rig.switches.size(); ++s)
    if (const SwitchSetup& one = rig.setup.switches[s]; one.wiring.link == link)
      setup.channels.push_back(board_channel(one, info.switch_channels[one.wiring.channel], rig.switches[s]));
  for (const InputInfo& input : rig.inputs) {
    if (input.link != link) continue;
    const ChannelInfo& channel = info.input_channels[input.channel];
    setup.channels.push_back(
        {.number = channel.number, .kind = channel.kind, .name = input.name, .pin = channel.pin, .becomes = {}});
  }
  std::ranges::sort(setup.channels, {}, &BoardChannel::number);
  return setup;
}

BoardNear::BoardNear(const Rig& rig, LinkId link, std::uint64_t seed)
    : link_(link), talk_(board_setup(rig, link), seed), told_(talk_.setup().channels.size()) {
  const LinkInfo& info = rig.links[index(link)];
  axes_.resize(info.axis_channels.size());
  for (const AxisSetup& axis : rig.setup.axes) {
    if (axis.wiring.link != link) continue;
    const ChannelInfo& channel = info.axis_channels[axis.wiring.channel];
    Row& row = axes_[axis.wiring.channel];
    row.row = row_of(talk_.setup(), channel.number);
    row.kind = channel.kind;
    row.measured = axis.position == PositionKind::measured;
    if (channel.kind == wire::ChannelKind::stepper) {
      row.steps = static_cast<std::int64_t>(channel.steps);
      row.per_nano = to_nano(channel.per);
      row.scale = channel.per / channel.steps;
    } else if (channel.kind == wire::ChannelKind::servo) {
      row.scale = meaning_of(axis.drive).scale;
      row.offset = meaning_of(axis.drive).offset;
    }
  }
  for (const ChannelInfo& channel : info.switch_channels)
    switches_.push_back({.row = row_of(talk_.setup(), channel.number), .kind = channel.kind});
  reported_.resize(axes_.size());
  for (std::size_t i = 0; i < rig.inputs.size(); ++i) {
    const InputInfo& input = rig.inputs[i];
    if (input.link != link) continue;
    inputs_.push_back({id_at<InputId>(i), row_of(talk_.setup(), info.input_channels[input.channel].number), input});
    input_reports_.push_back({id_at<InputId>(i)});
  }
  for (const ActionInfo& action : rig.actions) messages_.push_back(action.message);
  results_.reserve(1);
}

/// What a report says is wrong. A switch is told to stand until the board takes it up again; see tell().
std::uint32_t BoardNear::faults(const BoardReport& report) noexcept {
  std::uint32_t faults = 0;
  for (std::size_t row = 0; row < report.channels.size(); ++row)
    if (is_output(talk_.setup().channels[row].kind) && (report.channels[row].status & wire::by_itself) != 0)
      faults |= board_stopped_by_itself;
  if (report.began_anew) faults |= board_began_anew;
  if ((report.state & wire::ran_late) != 0) faults |= board_ran_late;
  if ((report.state & wire::stopped) != 0) faults |= board_stopped;
  return faults;
}

void BoardNear::hear(Time now, std::span<const std::uint8_t> bytes, std::vector<LinkReport>& reports) {
  talk_.hear(now, bytes);
  if (!talk_.reported()) return;
  const BoardReport& report = talk_.report();
  for (std::size_t a = 0; a < axes_.size(); ++a) {
    const Row& row = axes_[a];
    const ChannelReport& channel = report.channels[row.row];
    reported_[a] = {};
    const double position = row.offset + row.scale * static_cast<double>(channel.position) / q16;
    if (row.measured && (channel.status & wire::measured) != 0)
      reported_[a] = {true, position, row.scale * static_cast<double>(channel.speed) / q8, false};
    else if (row.kind == wire::ChannelKind::servo && (channel.status & wire::known) != 0)
      reported_[a] = {false, position, 0, true};
  }
  for (std::size_t i = 0; i < inputs_.size(); ++i) {
    const ChannelReport& channel = report.channels[inputs_[i].row];
    input_reports_[i].fresh = (channel.status & wire::measured) != 0;
    input_reports_[i].value = inputs_[i].info.value_of(static_cast<double>(channel.position) / q16);
  }
  LinkReport out;
  out.inputs = input_reports_;
  out.link = link_;
  out.sequence = report.number;
  out.measured = report.measured;
  out.arrival = report.arrival;
  out.axes = reported_;
  out.faults = faults(report);
  out.within = report.within;
  results_.clear();
  if (const auto& result = talk_.result(); result && order_)
    results_.push_back(
        {order_->action, result->done ? ActionReport::Result::done : ActionReport::Result::refused, order_->number});
  out.actions = results_;
  reports.push_back(out);
  talk_.forget_beginning();
}

void BoardNear::tell(const Frame& frame) {
  for (std::size_t a = 0; a < axes_.size() && a < frame.axes.size(); ++a) {
    const AxisWord& word = frame.axes[a];
    const Row& row = axes_[a];
    ChannelTold& told = told_[row.row];
    told.mode = static_cast<std::uint8_t>(word.mode);
    switch (row.kind) {
      case wire::ChannelKind::stepper:
        told.position = scaled(word.position, row.steps * q16, row.per_nano);
        told.speed = static_cast<std::int32_t>(scaled(word.speed, row.steps * q8, row.per_nano));
        break;
      case wire::ChannelKind::motor: told.position = scaled(word.position, q16, millionths); break;
      default: told.position = word.position * q16; told.speed = static_cast<std::int32_t>(word.speed * q8);
    }
  }
  for (std::size_t s = 0; s < switches_.size() && s < frame.switches.size(); ++s) {
    const std::size_t row = switches_[s].row;
    // After it did something by itself it has to be told to stand before it takes anything up again; the engine has
    // heard of that by then, and turned off what a lost link turns off.
    const bool waits = (talk_.report().channels[row].status & wire::by_itself) != 0;
    told_[row] = {static_cast<std::uint8_t>(waits ? Mode::stand : Mode::follow), frame.switches[s] != 0 ? q16 : 0, 0};
  }
  talk_.tell(told_);
  if (frame.order == order_) return;
  order_ = frame.order;
  if (!order_) return talk_.order(std::nullopt);
  talk_.order(
      BoardOrder{static_cast<std::uint16_t>(order_->number), messages_[index(order_->action)], order_->cancelled});
}

BoardWire::BoardWire(const wire::Place& place, bool half_duplex)
    : half_duplex_(half_duplex), bus_(place.bytes_per_s()), port_(place) {}

void BoardWire::add(BoardLink& link, BoardTalk& talk) {
  links_.push_back(&link);
  talks_.push_back(&talk);
  bus_.add(talk);
}

std::span<const std::uint8_t> BoardWire::came(std::uint64_t& seen) noexcept {
  if (seen == reads_) {
    came_ = port_.read(room_);
    ++reads_;
  }
  seen = reads_;
  return came_;
}

void BoardWire::send(Time now) {
  if (!port_.is_open()) return;
  if (half_duplex_) bus_.hear(now);
  const BoardBus::Next next = half_duplex_ ? bus_.next(now) : BoardBus::Next{0, talks_.front()->next(now)};
  if (!next.bytes.empty() && port_.write(next.bytes)) links_[next.board]->passed_.keep(now, true, next.bytes);
}

std::shared_ptr<BoardWire> board_wire(const LinkInfo& link, BoardWires& wires) {
  const bool half_duplex = link.text("duplex") == "half";
  const wire::Place place = wire_place(link);
  if (!half_duplex) return std::make_shared<BoardWire>(place, false);
  std::shared_ptr<BoardWire>& shared = wires[place.words()];
  if (!shared) shared = std::make_shared<BoardWire>(place, true);
  return shared;
}

BoardLink::BoardLink(const Rig& rig, LinkId link, std::shared_ptr<BoardWire> wire)
    : near_(rig, link, std::random_device{}()), wire_(std::move(wire)) {
  wire_->add(*this, near_.talk());
}

BoardLink::BoardLink(const Rig& rig, LinkId link)
    : BoardLink(rig, link, [&] {
        BoardWires own;
        return board_wire(rig.links[index(link)], own);
      }()) {}

void BoardLink::receive(Time now, std::vector<LinkReport>& reports) {
  now_ = now;
  const auto came = wire_->came(seen_);
  passed_.keep(now, false, came);
  near_.hear(now, came, reports);
  words_.take_from(near_.talk());
}

void BoardLink::send(const Frame& frame) {
  near_.tell(frame);
  wire_->send(now_);
}

std::optional<std::string> BoardLink::said() { return words_.next(wire_->port(), near_.talk().setup().name); }

}  // namespace gyrax
