// What passes between threads: whole, in order, counted where it does not fit. Clean under the thread sanitizer.
#include <gyrax/threads/latest.hpp>
#include <gyrax/threads/pacer.hpp>
#include <gyrax/threads/queue.hpp>
#include <gyrax/threads/record_ring.hpp>

#include "support/random.hpp"

#include <doctest/doctest.h>

#include <sys/eventfd.h>
#include <unistd.h>
#include <atomic>
#include <cstring>
#include <thread>

using namespace gyrax;
using namespace std::chrono_literals;

TEST_CASE("Queue: everything that was taken comes out in order; what was refused is all that is missing") {
  constexpr std::uint64_t sent = 200'000;
  Queue<std::uint64_t> queue(64);
  std::uint64_t refused = 0;
  std::atomic<bool> done{false};
  std::thread maker([&] {
    for (std::uint64_t i = 1; i <= sent; ++i)
      if (!queue.push(i)) ++refused;
    done = true;
  });
  std::uint64_t got = 0, last = 0;
  bool ordered = true;
  for (std::uint64_t value = 0;;) {
    const bool ended = done;
    while (queue.pop(value)) {
      ordered = ordered && value > last;
      last = value;
      ++got;
    }
    if (ended) break;
  }
  maker.join();
  CHECK(ordered);
  CHECK(got + refused == sent);
}

TEST_CASE("Queue: full is full, and its size is a power of two") {
  Queue<int> queue(5);
  CHECK(queue.capacity() == 8);
  for (int i = 0; i < 8; ++i) CHECK(queue.push(i));
  CHECK_FALSE(queue.push(8));
  int value = -1;
  CHECK(queue.pop(value));
  CHECK(value == 0);
  CHECK(queue.push(8));
}

TEST_CASE("Record ring: records of any size come out whole, across the ring's end and from another thread") {
  RecordRing ring(1000);  // 1024
  const auto write = [&](std::size_t size, unsigned n) {
    std::byte* const room = ring.begin(size);
    if (room == nullptr) return false;
    std::memset(room, static_cast<int>(n), size);
    ring.commit();
    return true;
  };
  CHECK_FALSE(write(1020, 1));
  CHECK(ring.front().empty());
  constexpr unsigned records = 20'000;
  std::atomic<unsigned> refused{0};
  std::atomic<bool> done{false};
  std::thread maker([&] {
    std::mt19937_64 random(test::seed());
    for (unsigned n = 0; n < records; ++n)
      if (!write(1 + random() % 300, n % 251)) ++refused;
    done = true;
  });
  unsigned got = 0;
  bool whole = true;
  for (;;) {
    const bool ended = done;
    for (auto record = ring.front(); !record.empty(); record = ring.front()) {
      for (const std::byte b : record) whole = whole && b == record.front();
      whole = whole && record.size() <= 300;
      ++got;
      ring.pop();
    }
    if (ended) break;
  }
  maker.join();
  CHECK(whole);
  CHECK(got + refused == records);
}

TEST_CASE("Latest: never torn, never older than what was seen, and the last one arrives") {
  struct Pair {
    std::uint64_t a = 0, b = 0;
  };
  Latest<Pair> latest(Pair{});
  constexpr std::uint64_t rounds = 200'000;
  std::thread maker([&] {
    for (std::uint64_t i = 1; i <= rounds; ++i) {
      latest.draft() = {i, i * 3};
      latest.publish();
    }
  });
  std::uint64_t last = 0;
  bool good = true;
  while (last < rounds) {
    const Pair& seen = latest.look();
    good = good && seen.b == seen.a * 3 && seen.a >= last;
    last = seen.a;
    if (!good) break;
  }
  maker.join();
  CHECK(good);
}

TEST_CASE("Lateness: each wake-up in its row, late from half a period on") {
  Lateness late;
  late.note(0us, 2ms);
  late.note(50us, 2ms);
  late.note(1ms, 2ms);
  late.note(1001us, 2ms);
  late.note(1s, 2ms);
  CHECK(late.counts[0] == 1);
  CHECK(late.counts[1] == 1);
  CHECK(late.counts[5] == 2);
  CHECK(late.counts.back() == 1);
  CHECK(late.late == 2);
  CHECK(late.ticks == 5);
  CHECK(late.worst == 1s);
}

TEST_CASE("Pacer: on its grid, never before its time; a missed point is not made up for; a reading wakes it early") {
  const BootClock clock;
  const Time begin = clock.now();
  Pacer pacer(clock, 2ms);
  Time last = begin;
  for (int i = 1; i <= 50; ++i) {
    if (i == 25) std::this_thread::sleep_for(9ms);
    const Time now = pacer.wait();
    CHECK(now >= begin + i * 2ms);
    CHECK(now > last);
    last = now;
  }
  CHECK(pacer.lateness().ticks == 50);
  CHECK(pacer.lateness().missed >= 3);  // 9 ms away: at least three of its points passed
  // 50 wake-ups and the missed points are the grid so far.
  CHECK(last < begin + static_cast<std::int64_t>(51 + pacer.lateness().missed) * 2ms + 2ms);

  const int wake = ::eventfd(1, EFD_NONBLOCK);
  Pacer eager(clock, 500ms, 5ms, {-1, wake});
  const Time from = clock.now();
  const Time woken = eager.wait();
  CHECK(woken >= from + 4ms);
  CHECK(woken < from + 400ms);
  CHECK(eager.lateness().ticks == 0);
  ::close(wake);
}
