// A controller in virtual time: on a wire that carries each byte as slowly as 115,200 baud do, against a simulated
// controller that plans ahead, in one thread with an engine.
#pragma once

#include "on_a_controller.hpp"
#include "support/rigs.hpp"

#include <gyrax/link/controller.hpp>
#include <gyrax/link/controller_far_end.hpp>
#include <gyrax/testing/stand.hpp>

#include <algorithm>
#include <cstdint>
#include <deque>
#include <functional>
#include <span>
#include <string>
#include <utility>
#include <vector>

namespace gyrax::test {

/// Each byte takes its time, one after the other; what spoils them does so as they are put in.
struct PacedWire {
  void put(std::uint64_t now_us, std::span<const std::uint8_t> bytes) {
    std::string text(bytes.begin(), bytes.end());
    if (spoils) spoils(text);
    constexpr double byte_us = 1e6 / 11'520;
    for (const char c : text) {
      free_us = std::max(free_us, static_cast<double>(now_us)) + byte_us;
      under_way.emplace_back(free_us + static_cast<double>(delay_us), static_cast<std::uint8_t>(c));
    }
  }
  std::vector<std::uint8_t> take(std::uint64_t now_us) {
    std::vector<std::uint8_t> bytes;
    while (!under_way.empty() && under_way.front().first <= static_cast<double>(now_us)) {
      bytes.push_back(under_way.front().second);
      under_way.pop_front();
    }
    return bytes;
  }
  std::deque<std::pair<double, std::uint8_t>> under_way;
  double free_us = 0;
  std::uint64_t delay_us = 1000;
  std::function<void(std::string&)> spoils;
};

/// Everything in one thread and one time: a tick every 2 ms.
struct ControllerBench {
  explicit ControllerBench(const std::string& text = on_a_controller())
      : rig(test::rig(text)), stand(rig), talk(rig, LinkId{0}), far(rig, LinkId{0}) {
    stand.links().bench(LinkId{0}).silence(true);
    talk.opened(stand.now());
  }
  std::uint64_t us() const { return static_cast<std::uint64_t>((stand.now() - Time{}) / std::chrono::microseconds(1)); }

  void tick() {
    for (int part = 0; part < 8; ++part) {
      const std::uint64_t now = us() + static_cast<std::uint64_t>(part) * 250;
      far.hear(there.take(now));
      far.advance(now);
      const std::string answers = far.answers();
      back.put(now, {reinterpret_cast<const std::uint8_t*>(answers.data()), answers.size()});
    }
    if (!cut) talk.hear(stand.now(), back.take(us()));
    if (talk.reported()) {
      LinkReport report = report_of(talk.heard(), LinkId{0}, stand.now());
      report.sequence += 1'000'000;
      faults |= report.faults;
      stand.report(report);
    }
    stand.tick();
    if (hangs) return;
    talk.tell(stand.frames()[0]);
    const auto bytes = talk.next(stand.now());
    if (!bytes.empty() && !cut) {
      sent.append(bytes.begin(), bytes.end());
      there.put(us(), bytes);
    }
    while (const auto words = talk.said()) said += *words + "\n";
  }
  void run(double s) {
    for (const Time end = stand.now() + from_seconds(s); stand.now() < end;) tick();
  }
  void press(const char* key, double s = 0.05) {
    stand.press(key);
    run(s);
    stand.release(key);
    run(0.05);
  }
  void make_live() {
    run(0.5);
    press("menu.right");
    stand.press("shoulder.right");
    run(0.1);
  }
  void let_go() {
    stand.release("shoulder.right");
    stand.move("stick.left.x", 0).move("stick.left.y", 0);
  }
  bool at_rest() const { return far.machine().state() != sim::ControllerState::moving; }

  Rig rig;
  testing::Stand stand;
  ControllerTalk talk;
  ControllerFarEnd far;
  PacedWire there, back;
  bool cut = false, hangs = false;
  std::uint32_t faults = 0;
  std::string said, sent;
};

inline const char* const dialects[] = {"brook", "fern", "gravel"};

}  // namespace gyrax::test
