#include "input_line.hpp"

#include <gyrax/link/controller_stand_in.hpp>

#include <fmt/format.h>
#include <poll.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <utility>

namespace gyrax {

ControllerStandIn::ControllerStandIn(const Rig& rig, LinkId link)
    : link_(rig.links[index(link)]), far_end_(rig, link), place_(wire_place(link_)) {
  for (const InputInfo& input : rig.inputs)
    if (input.link == link) inputs_.push_back(input);
  port_.emplace(place_);
  seen_.push_back(fmt::format("a controller with the axes {} that speaks '{}' serves {}", link_.letters,
                              link_.dialect->name, place_.words()));
  far_end_.greet();
}

std::uint64_t ControllerStandIn::now_us() const {
  return static_cast<std::uint64_t>(
      std::chrono::duration_cast<std::chrono::microseconds>(Clock::now() - began_).count());
}

/// As many bytes each way as the wire carries in that time; TCP as many as there are.
void ControllerStandIn::exchange() {
  std::array<std::uint8_t, 4096> room{};
  const auto came = port_->read(room);
  if (!is_cut_) in_.append(came.begin(), came.end());
  const std::uint64_t now = now_us();
  const double carried = place_.bytes_per_s() * static_cast<double>(now - std::exchange(paced_us_, now)) / 1e6;
  const auto carry = [&](std::string& bytes, double& budget) {
    budget = place_.bytes_per_s() > 0 ? budget + carried : 1e9;
    const std::size_t count = std::min(bytes.size(), static_cast<std::size_t>(budget));
    const std::string some = bytes.substr(0, count);
    bytes.erase(0, count);
    // A wire that rests saves nothing up.
    budget = bytes.empty() ? 0 : budget - static_cast<double>(count);
    return some;
  };
  const std::string heard = carry(in_, room_in_);
  has_heard_ = !heard.empty();
  if (has_heard_) heard_us_ = now;
  far_end_.hear({reinterpret_cast<const std::uint8_t*>(heard.data()), heard.size()});
  far_end_.advance(now);
  const std::string answers = far_end_.answers();
  if (!is_cut_) out_ += answers;
  const std::string said = carry(out_, room_out_);
  if (!said.empty()) port_->write({reinterpret_cast<const std::uint8_t*>(said.data()), said.size()});
}

void ControllerStandIn::run(Span span, int waits_for) {
  const auto end = Clock::now() + span;
  do {
    std::array<pollfd, 2> waits{{{port_->descriptor(), POLLIN, 0}, {waits_for, POLLIN, 0}}};
    ::poll(waits.data(), waits.size(), 1);
    exchange();
    look();
    if (waits_for >= 0 && waits[1].revents != 0) return;
  } while (Clock::now() < end);
}

/// That it stands after it was told to, or because its queue ran out while it heard nothing.
void ControllerStandIn::look() {
  for (std::string& line : far_end_.seen()) seen_.push_back(std::move(line));
  const sim::Controller& machine = far_end_.machine();
  const std::uint64_t now = now_us();
  const bool is_told = std::exchange(stops_, far_end_.stops()) != far_end_.stops();
  const bool moves = machine.state() == sim::ControllerState::moving;
  if (is_told) stop_us_ = moves ? now : 0;
  if (is_told || from_.empty() || (has_heard_ && stop_us_ == 0)) {
    from_.resize(machine.axes());
    for (std::size_t a = 0; a < from_.size(); ++a) from_[a] = machine.position(a);
  }
  constexpr std::uint64_t alone_us = 60'000;
  if (!std::exchange(was_moving_, moves) || moves) return;
  std::string ways;
  for (std::size_t a = 0; a < from_.size(); ++a)
    ways += fmt::format("{}{} {:.2f} {}", ways.empty() ? "" : ", ", far_end_.axes()[a].name,
                        std::abs(machine.position(a) - from_[a]), far_end_.axes()[a].unit);
  const auto ms_since = [&](std::uint64_t us) { return static_cast<double>(now - us) / 1e3; };
  if (stop_us_ > 0)
    seen_.push_back(fmt::format("at rest {:.0f} ms after it was told to stop, {} farther", ms_since(stop_us_), ways));
  else if (now - heard_us_ > alone_us)
    seen_.push_back(fmt::format("its queue has run out: at rest {:.0f} ms after it heard anything last, {} farther",
                                ms_since(heard_us_), ways));
  stop_us_ = 0;
}

std::string ControllerStandIn::take(const std::string& line) {
  const auto slow = [&](double share) { far_end_.machine().scale(share); };
  if (line == "mend") {
    is_cut_ = false;
    far_end_.be_silent(false);
    far_end_.clear();
    far_end_.machine().pause(false);
    slow(1);
  } else if (line == "cut") {
    is_cut_ = true;
    in_.clear();
  } else if (line == "silent") {
    far_end_.be_silent(true);
  } else if (line == "lose") {
    far_end_.lose_lines(1);
  } else if (line == "twice") {
    far_end_.answer_twice(1);
  } else if (line == "refuse") {
    far_end_.refuse_next();
  } else if (line == "alarm") {
    far_end_.raise_alarm("limit");
  } else if (line == "pause") {
    far_end_.machine().pause(true);
  } else if (line == "slow") {
    constexpr double share = 0.5;
    slow(share);
  } else if (line == "noise") {
    far_end_.babble();
  } else if (line == "restart") {
    far_end_.restart();
  } else if (line.starts_with("input ")) {
    const InputLine read = read_input_line(line, inputs_, "controller", false);
    if (!read.wrong.empty()) return read.wrong;
    far_end_.set_input(read.row, *read.raw);
    seen_.push_back(read.says);
  } else {
    return fmt::format(
        "there is no '{}'; it takes cut, silent, lose, twice, refuse, alarm, pause, slow, noise, mend, restart, "
        "input NAME VALUE, quit",
        line);
  }
  return {};
}

std::vector<std::string> ControllerStandIn::seen() { return std::exchange(seen_, {}); }

std::string ControllerStandIn::moved() {
  std::string all;
  for (std::size_t a = 0; a < far_end_.axes().size(); ++a)
    all += fmt::format("{}{} {:.3f} {}", all.empty() ? "" : ", ", far_end_.axes()[a].name,
                       far_end_.machine().position(a), far_end_.axes()[a].unit);
  return std::exchange(moved_, all) == all ? std::string() : all;
}

}  // namespace gyrax
