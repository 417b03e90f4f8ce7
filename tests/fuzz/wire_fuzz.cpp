// Any bytes on a board's wire, both ways at once: into the far end (firmware/) and into the near end, with time between
// them. Neither may be led out of its memory; no servo gets a pulse beyond its ends; what is taken for whole packs to
// the same bytes again.
#include "../../firmware/gyrax_board.h"

#include <gyrax/link/board_ear.hpp>
#include <gyrax/link/board_talk.hpp>

#include <algorithm>
#include <array>
#include <cstdint>
#include <cstring>
#include <span>

namespace {

struct Far {
  std::uint32_t now = 0;
  std::span<const std::uint8_t> in;
  std::size_t sent = 0;
};

std::uint32_t now_us(void* user) { return static_cast<Far*>(user)->now; }
int read_byte(void* user, std::uint8_t* byte) {
  auto& in = static_cast<Far*>(user)->in;
  if (in.empty()) return 0;
  *byte = in.front();
  in = in.subspan(1);
  return 1;
}
std::size_t write_bytes(void* user, const std::uint8_t*, std::size_t size) {
  static_cast<Far*>(user)->sent += size;
  return size;
}
void servo(void*, std::uint8_t, std::uint32_t pulse) {
  if (pulse != 0 && (pulse < 900u << 16 || pulse > 2100u << 16)) __builtin_trap();
}
void signed_power(void*, std::uint8_t, std::int32_t share) {
  if (share < -65536 || share > 65536) __builtin_trap();
}
void level(void*, std::uint8_t, int) {}
void steps(void*, std::uint8_t, std::int64_t position, std::uint32_t) {
  if (position < -(5000ll << 16) || position > 5000ll << 16) __builtin_trap();
}
std::int64_t counted(void* user, std::uint8_t) { return std::int64_t{static_cast<Far*>(user)->now} * 977; }
std::int32_t input(void* user, std::uint8_t, std::uint8_t, std::uint8_t* valid) {
  const std::uint32_t now = static_cast<Far*>(user)->now;
  *valid = now % 7000 < 6000 ? 1 : 0;
  return now % 9000 < 3000 ? 256 : 0;
}

gyrax_channel channel(std::uint8_t kind, std::int32_t low, std::int32_t high) {
  gyrax_channel c{};
  c.name = "pin";
  c.kind = kind;
  c.forward = c.backward = GYRAX_NO_PIN;
  c.limits = {low * 256, high * 256, 4000 * 256, 20000 * 256, 0, 0, GYRAX_STAY};
  return c;
}

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  using namespace gyrax;
  Far far;
  gyrax_port port{};
  port.user = &far;
  port.now_us = now_us;
  port.read = read_byte;
  port.write = write_bytes;
  port.servo = servo;
  port.signed_power = signed_power;
  port.level = level;
  port.steps = steps;
  port.counted = counted;
  port.input = input;
  const std::array channels{channel(GYRAX_SERVO, 900, 2100),     channel(GYRAX_MOTOR, -1, 1),
                            channel(GYRAX_STEPPER, -5000, 5000), channel(GYRAX_SWITCH, 0, 1),
                            channel(GYRAX_DIGITAL, 0, 1),        channel(GYRAX_ANALOG, 0, 100),
                            channel(GYRAX_ENCODER, 0, 0)};
  std::array<gyrax_state, channels.size()> states{};
  gyrax_board board;
  gyrax_board_begin(&board, &port, channels.data(), channels.size(), states.data(), 1, "far");
  BoardEar ear;
  BoardSetup setup;
  setup.channels.resize(4);
  for (std::uint8_t n = 0; n < 4; ++n) setup.channels[n].number = n;
  BoardTalk talk(setup, 1);
  Time now{};
  wire::Receiver whole;
  // The first byte of each stretch says how long it is, and how long nothing comes after it.
  for (std::span<const std::uint8_t> rest(data, size); !rest.empty();) {
    const std::size_t length = std::min<std::size_t>(rest[0] % 140, rest.size() - 1);
    const std::uint32_t ms = rest[0] / 16;
    const auto stretch = rest.subspan(1, length);
    rest = rest.subspan(1 + length);
    // A frame as it would come from an end that knows its session, so that more than the sum is tried.
    std::array<std::uint8_t, wire::max_frame> framed{};
    std::size_t framed_size = 0;
    if (!stretch.empty() && stretch.size() < wire::max_payload)
      framed_size = wire::pack({static_cast<wire::Kind>(stretch[0] & 15), 1,
                                static_cast<std::uint16_t>(board.heard + 1), board.session, stretch.subspan(1)},
                               framed);
    for (const auto bytes : {stretch, std::span<const std::uint8_t>(framed).first(framed_size)}) {
      far.in = bytes;
      gyrax_board_run(&board);
      talk.hear(now, bytes);
      for (const bool out : {false, true})
        ear.hear({now, out, bytes}, [](const BoardEar::Heard& heard) {
          if (heard.words().size() > 10'000) __builtin_trap();
        });
      for (const std::uint8_t byte : bytes) {
        if (!whole.take(byte)) continue;
        std::array<std::uint8_t, wire::max_frame> again{};
        if (wire::pack(whole.frame(), again) == 0) __builtin_trap();
      }
    }
    for (std::uint32_t i = 0; i < ms; ++i) {
      far.now += 1000;
      now += std::chrono::milliseconds(1);
      gyrax_board_run(&board);
      talk.next(now);
      while (talk.said()) {
      }
    }
  }
  return 0;
}
