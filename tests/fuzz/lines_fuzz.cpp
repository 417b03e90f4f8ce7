// Any bytes on a controller's wire, both ways at once: into the far end and into the near end, with time between them,
// while the near end is told to move. Neither may be led out of its memory; the near end sends no more than the far end
// takes; a pattern that fits a line gives that line again.
#include <gyrax/link/controller_far_end.hpp>
#include <gyrax/link/controller_talk.hpp>

#include <algorithm>
#include <array>
#include <cstddef>
#include <cstdint>
#include <string>

using namespace gyrax;

namespace {

const Rig& rig() {
  static const Rig made = parse_rig(R"(gyrax = 1
[link.gantry]
kind = "controller"
[link.gantry.controller]
serial = "/nowhere"
dialect = "any"
[dialect.any]
greeting = "up {version}"
line = "N{number} {words} ;{sum}"
setup = ["G21", "G90"]
modes = { ask = "MODES", answer = "modes {modes}", are = ["G21", "G90"] }
move = "G1 {axes} F{feed}"
ack = "ok {number}"
error = "no {number} {code} {words}"
alarm = "alarm {words}"
status = { ask = "\u0005", answer = "{state} X{X} {load}" }
states = { idle = ["ready"], moving = ["runs"], paused = ["waits"], alarm = ["alarm"] }
stop = "\u0014"
abort = "\u001a"
takes = { lines = 6, bytes = 200, moves = 8 }
[input.load]
unit = "%"
[axis.x]
unit = "mm"
travel = [0, 100]
speed = 100
accel = 500
following_error = 40
[bind]
"menu.right" = "ready"
"shoulder.right" = "enable"
"face.east" = "stop"
"menu.centre" = "reset"
"stick.left.x" = { jog = "x" }
)",
                                    "fuzz.toml");
  return made;
}

void check_patterns(const std::string& line) {
  const Dialect& dialect = *rig().links[0].dialect;
  for (const wire::LinePattern* one : {&dialect.greeting, &dialect.ack, &dialect.error, &dialect.status, &dialect.line})
    if (const auto found = one->match(line))
      if (one->fill([&](std::string_view place) { return std::string(found->find(place)->second); }) != line)
        __builtin_trap();
}

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  ControllerTalk talk(rig(), LinkId{0});
  ControllerFarEnd far(rig(), LinkId{0});
  std::array<AxisWord, 1> words{};
  Frame frame;
  frame.axes = words;
  Time now{};
  std::uint64_t us = 0;
  talk.opened(now);
  far.restart();
  std::string line;
  for (std::size_t i = 0; i < size;) {
    // The first of each eight says what the others are, and how much time goes by.
    const std::uint8_t what = data[i++];
    const std::size_t count = std::min<std::size_t>(size - i, what & 7);
    const std::span<const std::uint8_t> some(data + i, count);
    i += count;
    const std::uint64_t step_us = (what >> 3 & 7) * 3000u;
    us += step_us;
    now += std::chrono::microseconds(step_us);
    if ((what & 0x40) != 0)
      talk.hear(now, some);
    else
      far.hear(some);
    line.append(some.begin(), some.end());
    far.advance(us);
    const std::string answers = far.answers();
    talk.hear(now, {reinterpret_cast<const std::uint8_t*>(answers.data()), answers.size()});
    static_cast<void>(talk.reported());
    words[0] = {(what & 0x80) != 0 ? Mode::follow : Mode::off, static_cast<std::int64_t>(us) * 10'000, 10'000'000'000};
    frame.sent = now;
    talk.tell(frame);
    const auto sent = talk.next(now);
    if (sent.size() > 600) __builtin_trap();
    far.hear(sent);
    while (talk.said()) {
    }
    if (!(far.machine().position(0) >= -0.001 && far.machine().position(0) <= 100.001)) __builtin_trap();
  }
  check_patterns(line);
  return 0;
}
