#include "drive_unit.hpp"

#include "home_switch.hpp"
#include "input_line.hpp"

#include <gyrax/link/register_talk.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <stdexcept>
#include <utility>

namespace gyrax {
namespace {

using What = RegisterEntry::What;

/// Its own limits have room above the rig's, so that it can follow what it is told.
constexpr double speed_room = 1.3, accel_room = 4;

sim::DriveSetup drive_setup(const Rig& rig, LinkId link) {
  sim::DriveSetup setup;
  const LinkInfo& info = rig.links[index(link)];
  setup.watchdog_us = static_cast<std::uint64_t>(info.number("watchdog_ms") * 1e3);
  for (std::size_t a = 0; a < rig.axes.size(); ++a) {
    const AxisSetup& axis = rig.setup.axes[a];
    if (axis.wiring.link != link) continue;
    const MotionLimits& full = axis.limits.full();
    sim::DriveAxisSetup one;
    one.by_speed = rig.axes[a].motor;
    one.speed = full.speed * speed_room;
    one.accel = std::max(full.accel, full.decel) * accel_room;
    one.decel = full.decel;
    one.lag_s = info.number("lag_ms") / 1e3;
    if (!one.by_speed && !rig.axes[a].endless) {
      // One that is homed counts from where it stands, whatever its travel.
      one.low = axis.homing.any() ? -max_position : axis.limits.low();
      one.high = axis.homing.any() ? max_position : axis.limits.high();
      one.start = std::clamp(0.0, one.low, one.high);
    }
    if (axis.position == PositionKind::assumed) one.start = axis.start;
    setup.axes.push_back(one);
  }
  return setup;
}

const LinkInfo& with_registers(const Rig& rig, LinkId link) {
  const LinkInfo& info = rig.links[index(link)];
  if (!info.registers) throw std::invalid_argument("link '" + info.name + "' has no registers");
  return info;
}

}  // namespace

DriveUnit::DriveUnit(const Rig& rig, LinkId link) : link_(with_registers(rig, link)), drive_(drive_setup(rig, link)) {
  for (std::size_t a = 0; a < rig.axes.size(); ++a)
    if (rig.setup.axes[a].wiring.link == link) axes_.push_back(rig.axes[a]);
  for (const InputInfo& input : rig.inputs)
    if (input.link == link) inputs_.push_back(input);
  for (const InputInfo& input : inputs_) values_.push_back(raw_of(input, input.start));
  for (std::size_t a = 0; a < rig.actions.size(); ++a)
    if (rig.setup.actions[a].link == link)
      for (const auto* list : {&rig.actions[a].writes, &rig.actions[a].cancels})
        written_.insert(written_.end(), list->begin(), list->end());
  std::vector<double> starts;
  for (std::size_t a = 0; a < drive_.axes(); ++a) starts.push_back(drive_.position(a));
  for (const HomeSwitch& one : home_switches(rig, link, starts))
    switches_met_.push_back(
        {rig.setup.axes[index(one.axis)].wiring.channel, rig.inputs[index(one.input)].channel, one});
  set_points_.resize(drive_.axes());
  for (const SwitchSetup& one : rig.setup.switches)
    if (one.wiring.link == link) switched_.push_back(0);
  lay_out();
}

std::vector<std::string> DriveUnit::seen() { return std::exchange(seen_, {}); }

/// One block of registers, from the least to the greatest that the map has; coils and discrete inputs from 0.
void DriveUnit::lay_out() {
  const RegisterMap& map = *link_.registers;
  unsigned low = 65535, high = 0, coils = 0, discretes = 0;
  for (const auto* list : {&map.tells, &map.hears})
    for (const RegisterEntry& entry : *list) {
      low = std::min<unsigned>(low, entry.word.at);
      high = std::max<unsigned>(high, entry.word.at + static_cast<unsigned>(entry.word.size()));
    }
  for (const RegisterEntry& entry : map.coils) coils = std::max(coils, entry.word.at + 1u);
  for (const RegisterEntry& entry : map.discretes) discretes = std::max(discretes, entry.word.at + 1u);
  for (const RegisterWrite& write : written_) {
    if (write.coil) {
      coils = std::max(coils, write.at + 1u);
      continue;
    }
    low = std::min<unsigned>(low, write.at);
    high = std::max<unsigned>(high, write.at + 1u);
  }
  first_ = std::min(low, high);
  const unsigned registers = high - first_;
  mapping_.reset(modbus_mapping_new_start_address(0, coils, 0, discretes, first_, registers, first_, registers));
  if (!mapping_) throw std::runtime_error("no memory for its registers");
}

std::uint16_t* DriveUnit::at(const RegisterWord& word, bool told) const {
  auto* const block =
      link_.registers->input_registers && !told ? mapping_->tab_input_registers : mapping_->tab_registers;
  return block + (word.at - first_);
}

void DriveUnit::set_input(std::size_t row, double raw) {
  values_[row] = raw;
  // Whoever plays says what it is from now on.
  std::erase_if(switches_met_, [&](const Met& one) { return one.input == row; });
}

void DriveUnit::fill(std::uint64_t now_us) {
  for (const Met& one : switches_met_)
    values_[one.input] = raw_of(inputs_[one.input], one.home.is_on(drive_.position(one.axis)) ? 1 : 0);
  const RegisterMap& map = *link_.registers;
  for (const RegisterEntry& entry : map.hears) std::fill_n(at(entry.word, false), entry.word.size(), std::uint16_t{0});
  for (const RegisterEntry& entry : map.hears) {
    double value = 0;
    switch (entry.what) {
      case What::heartbeat: value = static_cast<double>(now_us / 1000 & 0xffff); break;
      case What::word: value = drive_.status(); break;
      case What::position: value = drive_.position(entry.row); break;
      case What::speed: value = drive_.speed(entry.row); break;
      case What::input: value = values_[entry.row]; break;
      default: break;
    }
    put_counts(at(entry.word, false), entry.word, value * entry.word.counts / entry.word.is, map.low_word_first);
  }
  for (const RegisterEntry& entry : map.discretes)
    mapping_->tab_input_bits[entry.word.at] = values_[entry.row] != 0 ? 1 : 0;
}

void DriveUnit::take_switch(const RegisterEntry& entry, bool on) {
  if (std::exchange(switched_[entry.row], on ? 1 : 0) != (on ? 1 : 0))
    say(fmt::format("{} {}", entry.name, on ? "on" : "off"));
}

void DriveUnit::take_bits(unsigned first, unsigned count) {
  for (const RegisterEntry& entry : link_.registers->coils)
    if (entry.word.at >= first && entry.word.at < first + count)
      take_switch(entry, mapping_->tab_bits[entry.word.at] != 0);
  for (const RegisterWrite& write : written_)
    if (write.coil && write.at >= first && write.at < first + count)
      return say(words_of({true, static_cast<std::uint16_t>(first), mapping_->tab_bits[first]}));
}

void DriveUnit::take_registers(unsigned first, unsigned count, bool one, std::uint64_t now_us) {
  const RegisterMap& map = *link_.registers;
  const RegisterEntry* const beat = map.told(What::heartbeat);
  const RegisterEntry* const word = map.told(What::word);
  const bool is_ours = beat != nullptr && beat->word.at >= first && beat->word.at < first + count;
  if (one && !is_ours && first >= first_ && first - first_ < static_cast<unsigned>(mapping_->nb_registers))
    say(words_of({false, static_cast<std::uint16_t>(first), mapping_->tab_registers[first - first_]}));
  if (!is_ours) return;
  for (const RegisterEntry& entry : map.tells) {
    const double value =
        get_counts(at(entry.word, true), entry.word, map.low_word_first) * entry.word.is / entry.word.counts;
    if (entry.what == What::position) set_points_[entry.row].position = value;
    if (entry.what == What::speed || entry.what == What::power) set_points_[entry.row].speed = value;
    if (entry.what == What::on) take_switch(entry, value != 0);
  }
  told_us_ = now_us;
  drive_.tell(word == nullptr ? 0 : *at(word->word, true), *at(beat->word, true), set_points_, told_us_);
}

void DriveUnit::take(std::span<const std::uint8_t> request, std::uint64_t now_us) {
  constexpr std::uint8_t write_coil = 0x05, write_one = 0x06, write_coils = 0x0f, write_many = 0x10;
  if (request.size() < 5) return;
  const std::uint8_t function = request[0];
  const unsigned first = request[1] * 256u + request[2];
  const bool many = function == write_coils || function == write_many;
  const unsigned count = many ? request[3] * 256u + request[4] : 1;
  if (function == write_coil || function == write_coils) {
    if (first + count <= static_cast<unsigned>(mapping_->nb_bits)) take_bits(first, count);
  } else if (function == write_one || function == write_many) {
    take_registers(first, count, function == write_one, now_us);
  }
}

void DriveUnit::advance(std::uint64_t now_us) {
  drive_.advance(now_us);
  if (drive_.watchdog_trips() != trips_) {
    trips_ = drive_.watchdog_trips();
    stopped_at_ = now_us;
    from_.resize(drive_.axes());
    std::string speeds;
    for (std::size_t a = 0; a < axes_.size(); ++a) {
      from_[a] = drive_.position(a);
      speeds += fmt::format("{}{} at {:.1f} {}", speeds.empty() ? "" : ", ", axes_[a].name, drive_.speed(a),
                            axes_[a].motor ? "%" : axes_[a].unit + "/s");
    }
    say(fmt::format("its watchdog stops it, {:.0f} ms after it was told anything last: {}",
                    static_cast<double>(now_us - told_us_) / 1e3, speeds));
  }
  if (stopped_at_ && drive_.at_rest()) {
    std::string ways;
    for (std::size_t a = 0; a < axes_.size(); ++a)
      if (!axes_[a].motor)
        ways += fmt::format("{}{} {:.2f} {}", ways.empty() ? "; " : ", ", axes_[a].name,
                            std::abs(drive_.position(a) - from_[a]), axes_[a].unit);
    const double took_ms = static_cast<double>(now_us - *stopped_at_) / 1e3;
    say(took_ms < 1 ? std::string("it was at rest") : fmt::format("at rest after {:.0f} ms more{}", took_ms, ways));
    stopped_at_.reset();
  }
  if (drive_.phase() != phase_) {
    phase_ = drive_.phase();
    say(fmt::format("{}: its status is {:#06x}", name_of(phase_), drive_.status()));
  }
}

std::string DriveUnit::places() const {
  std::string all;
  for (std::size_t a = 0; a < axes_.size(); ++a)
    all += fmt::format("{}{}", all.empty() ? "" : ", ",
                       axes_[a].motor ? fmt::format("{} {:.1f} %", axes_[a].name, drive_.speed(a))
                                      : fmt::format("{} {:.2f} {}", axes_[a].name, drive_.position(a), axes_[a].unit));
  return all;
}

}  // namespace gyrax
