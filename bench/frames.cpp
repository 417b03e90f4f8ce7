// A set of eight channels into bytes for the wire, beside a bare copy of as many bytes, in one run.
// bench_frames N [SEED]: so many random and spoiled frames instead, to both ends; exit code 1 if one was taken that was
// never packed.
#include "../firmware/gyrax_wire.h"
#include "ratio.hpp"

#include <gyrax/wire/board.hpp>

#include <cstdint>
#include <cstdlib>
#include <cstring>
#include <random>
#include <vector>

namespace {

using namespace gyrax;

std::array<wire::SetChannel, 8> channels;
std::array<std::uint8_t, wire::max_frame> bytes, copied;

std::size_t set_of_eight(std::uint32_t now) {
  wire::Writer out;
  write(out, wire::SetHead{now, now + 15'000, 60, 0, 8, 0, 8});
  for (const wire::SetChannel& channel : channels) write(out, channel);
  return wire::pack({wire::Kind::set, 1, static_cast<std::uint16_t>(now), 0x12345678, out.payload()}, bytes);
}

void BM_set(benchmark::State& state) {
  std::uint32_t now = 0;
  for (auto _ : state) {
    channels[now % 8].position += 7;
    benchmark::DoNotOptimize(set_of_eight(++now));
    benchmark::ClobberMemory();
  }
}
void BM_copy(benchmark::State& state) {
  std::uint32_t now = 0;
  for (auto _ : state) {
    bytes[++now % 64] += 7;
    std::memcpy(copied.data(), bytes.data(), wire::set_bytes(8));
    benchmark::ClobberMemory();
  }
}
BENCHMARK(BM_set)->Name("set of 8 channels");
BENCHMARK(BM_copy)->Name("bare copy");

/// Every frame that was packed is told by its sum over what stands in it; whatever else is taken is wrong.
int campaign(std::uint64_t frames, std::uint64_t seed) {
  std::mt19937_64 random(seed);
  wire::Receiver near;
  gyrax_receiver far{};
  gyrax_frame far_frame;
  std::uint64_t packed = 0, spoiled = 0, noise = 0, wrong = 0, taken = 0;
  std::array<std::uint8_t, wire::max_frame> out{};
  for (std::uint64_t i = 0; i < frames; ++i) {
    const std::uint64_t r = random();
    std::size_t size = 0;
    bool good = false;
    if (r % 4 == 0) {  // noise between two borders
      ++noise;
      size = 3 + (r >> 8) % 110;
      for (std::size_t k = 0; k < size; k += 8) {
        const std::uint64_t eight = random();
        std::memcpy(out.data() + k, &eight, std::min<std::size_t>(8, out.size() - k));
      }
      out[0] = out[size - 1] = 0;
    } else {
      std::array<std::uint8_t, 96> payload;
      const std::size_t length = (r >> 8) % 97;
      for (std::size_t k = 0; k < length; k += 8) {
        const std::uint64_t eight = random() & ((r >> 20) % 3 == 0 ? 0x00ff00ff00ffull : ~0ull);
        std::memcpy(payload.data() + k, &eight, std::min<std::size_t>(8, payload.size() - k));
      }
      const auto word = static_cast<std::uint32_t>(r >> 32);
      size = wire::pack({static_cast<wire::Kind>(word & 15), static_cast<std::uint8_t>(word >> 4),
                         static_cast<std::uint16_t>(word >> 12), word, std::span(payload).first(length)},
                        out);
      good = r % 16 == 1;
      if (good) {
        ++packed;
      } else {
        ++spoiled;
        const std::uint64_t how = random();
        const std::size_t at = 1 + (how >> 8) % (size - 2);
        switch (how % 4) {
          case 0: out[at] = static_cast<std::uint8_t>(out[at] ^ (1u << (how >> 40) % 8)); break;
          case 1:  // a burst
            for (std::size_t k = at; k < std::min(size - 1, at + 1 + (how >> 20) % 8); ++k)
              out[k] = static_cast<std::uint8_t>(out[k] ^ (1 + (how >> (k % 8 * 4)) % 255));
            break;
          case 2:  // a byte lost
            std::memmove(out.data() + at, out.data() + at + 1, size - at - 1);
            --size;
            break;
          default:  // two bytes changed
            out[at] = static_cast<std::uint8_t>(out[at] ^ 0x81);
            out[1 + (how >> 30) % (size - 2)] ^= 0x18;
        }
      }
    }
    int near_took = 0, far_took = 0;
    for (std::size_t k = 0; k < size; ++k) {
      near_took += near.take(out[k]) ? 1 : 0;
      far_took += size <= GYRAX_FRAME_BYTES ? gyrax_take(&far, out[k], &far_frame) : 0;
    }
    taken += static_cast<std::uint64_t>(near_took);
    // Two changes of a spoiled one may undo each other, or change nothing: then it is what was packed.
    if (near_took != (good ? 1 : 0) || far_took != (good && size <= GYRAX_FRAME_BYTES ? 1 : 0)) ++wrong;
  }
  fmt::print("{} frames: {} good, {} spoiled, {} noise; {} taken, {} wrongly\n", frames, packed, spoiled, noise, taken,
             wrong);
  return wrong == 0 ? 0 : 1;
}

}  // namespace

int main(int argc, char** argv) {
  if (argc > 1)
    return campaign(std::strtoull(argv[1], nullptr, 10), argc > 2 ? std::strtoull(argv[2], nullptr, 10) : 1);
  for (std::size_t i = 0; i < channels.size(); ++i)
    channels[i] = {2, static_cast<std::int32_t>(98'000'000 + 1000 * i), static_cast<std::int32_t>(i * 300)};
  bench::Collector collector;
  bench::run(collector);
  collector.print("set of 8 channels");
  collector.print("bare copy");
  fmt::print("a set of 8 channels is {} bytes; {:.1f} times a bare copy of them\n", wire::set_bytes(8),
             collector.median("set of 8 channels") / collector.median("bare copy"));
}
