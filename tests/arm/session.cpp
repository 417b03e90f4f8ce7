// The demo session's readings in, whole pulses and nano-units out: the same source on the host and on a
// microcontroller, which must say the same.
#include "frozen.hpp"

#include <gyrax/engine/engine.hpp>

#include <array>
#include <cstdio>
#include <cstdlib>
#include <new>

#ifdef GYRAX_COUNT
// On the target: what the engine takes of the heap, and how many instructions a tick is. The simulator runs one
// instruction a nanosecond, and this timer of the board counts at 25 MHz.
namespace {
std::size_t heap = 0, most_heap = 0;  // now, and at most
volatile unsigned* const timer = reinterpret_cast<unsigned*>(0x40000000);
void start_timer() {
  timer[2] = 0xffffffff;  // reload
  timer[1] = 0xffffffff;  // value
  timer[0] = 1;           // enable
}
unsigned ticks_of_timer() { return 0xffffffffu - timer[1]; }
}  // namespace
void* operator new(std::size_t size) {
  heap += size;
  most_heap = heap > most_heap ? heap : most_heap;
  return std::malloc(size);
}
void operator delete(void* memory) noexcept { std::free(memory); }
void operator delete(void* memory, std::size_t size) noexcept {
  heap -= size;
  std::free(memory);
}
#endif

int main() {
  using namespace gyrax;
#ifdef GYRAX_COUNT
  const Setup setup = frozen::setup();
  const std::size_t before = most_heap = heap;
  Engine engine(setup);
  TickBuffers out(setup, 32);
  std::fprintf(stderr, "ram %u\n", static_cast<unsigned>(most_heap - before + sizeof(Engine) + sizeof(TickBuffers)));
  start_timer();
  std::uint64_t spent = 0;
  unsigned most = 0;
#else
  const Setup setup = frozen::setup();
  Engine engine(setup);
  TickBuffers out(setup, 32);
#endif
  sim::Bench bench(frozen::bench());
  std::array<LinkReport, 8> reports{};
  std::span<const Reading> readings = frozen::readings();
  std::uint64_t hash = 14695981039346656037ull;  // FNV-1a, 64 bits
  const auto mix = [&](std::uint64_t word) {
    for (int i = 0; i < 8; ++i, word >>= 8) hash = (hash ^ (word & 0xff)) * 1099511628211ull;
  };
  int tick = 0;
  for (std::int64_t ns = 0; ns <= frozen::length_ns; ns += frozen::period_ns, ++tick) {
    const Time now{Span{ns}};
    bench.silence(ns >= frozen::silent_from_ns);
    bench.advance(now);
    std::size_t count = 0, said = 0;
    while (const LinkReport* report = bench.next_report(now)) reports[count++ % reports.size()] = *report;
    while (said < readings.size() && readings[said].arrival <= now) ++said;
#ifdef GYRAX_COUNT
    const unsigned begin = ticks_of_timer();
#endif
    engine.tick({now, readings.first(said), std::span(reports).first(count)}, out.view());
#ifdef GYRAX_COUNT
    const unsigned took = ticks_of_timer() - begin;
    spent += took;
    most = took > most ? took : most;
#endif
    readings = readings.subspan(said);
    bench.receive(out.frames[0]);
    for (const AxisWord& word : out.frames[0].axes) {
      mix(static_cast<std::uint64_t>(word.mode));
      mix(static_cast<std::uint64_t>(word.position));
    }
    for (const std::uint8_t bit : out.frames[0].switches) mix(bit);
    if (tick % 500 != 0) continue;
    std::printf("%d %08lx%08lx", tick, static_cast<unsigned long>(hash >> 32),
                static_cast<unsigned long>(hash & 0xffffffffu));
    for (const AxisWord& word : out.frames[0].axes)
      std::printf(" %ld.%09ld", static_cast<long>(word.position / 1'000'000'000),
                  std::labs(static_cast<long>(word.position % 1'000'000'000)));
    std::printf("\n");
  }
#ifdef GYRAX_COUNT
  std::fprintf(stderr, "instructions %u\nmost %u\n", static_cast<unsigned>(spent * 40 / static_cast<unsigned>(tick)),
               most * 40);
#endif
}
