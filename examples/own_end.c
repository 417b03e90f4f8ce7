/* A far end of one's own, written from docs/board.md alone: one servo, 900 to 2100 µs, at address 1, on a TCP port of
 * this machine. It prints its pulse.   own_end 7325 */
#define _POSIX_C_SOURCE 200809L
#include <arpa/inet.h>
#include <poll.h>
#include <stdint.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/socket.h>
#include <time.h>
#include <unistd.h>

enum { GREET = 1, ASK, ASSIGN, SET, STOP, WELCOME = 8, CHANNEL, REPORT };
enum { OFF, STAND, FOLLOW };
enum { POWERED = 2, BY_ITSELF = 8, KNOWN = 16 };
static int peer = -1;
static uint8_t becomes[9], status = BY_ITSELF, mode, stopped;
static uint32_t session, valid_until, due, began, heard_at;
static uint16_t sent, heard, number = 17, round_trip_ms, lost, bad, late;
static double pulse, from, target; /* microseconds */

static uint32_t now_us(void) {
  struct timespec t;
  clock_gettime(CLOCK_MONOTONIC, &t);
  return (uint32_t)((uint64_t)t.tv_sec * 1000000u + (uint64_t)t.tv_nsec / 1000u);
}
static uint32_t sum_of(const uint8_t* bytes, size_t size) {
  uint32_t sum = 0xffffffffu;
  for (size_t i = 0; i < size * 8; ++i) {
    if (i % 8 == 0) sum ^= bytes[i / 8];
    sum = sum & 1 ? sum >> 1 ^ 0xedb88320u : sum >> 1;
  }
  return ~sum;
}
static uint32_t get(const uint8_t** at, int bytes) {
  uint32_t value = 0;
  for (int i = 0; i < bytes; ++i) value |= (uint32_t) * (*at)++ << (8 * i);
  return value;
}
static void put(uint8_t** at, uint32_t value, int bytes) {
  for (int i = 0; i < bytes; ++i) *(*at)++ = (uint8_t)(value >> (8 * i));
}

/* A head, the payload, the sum; on the wire a zero, then the frame with each zero as the distance to the next, a zero.
 */
static void answer(int kind, const uint8_t* payload, const uint8_t* end) {
  uint8_t plain[256], wire[260] = {0}, *at = plain;
  put(&at, (uint32_t)(1 << 4 | kind), 1);
  put(&at, 1, 1);
  put(&at, ++sent, 2);
  put(&at, session, 4);
  memcpy(at, payload, (size_t)(end - payload));
  at += end - payload;
  put(&at, sum_of(plain, (size_t)(at - plain)), 4);
  *at = 0;
  size_t zero = 1;
  for (size_t i = 0; i <= (size_t)(at - plain); ++i) {
    wire[i + 2] = plain[i];
    if (plain[i] != 0) continue;
    wire[zero] = (uint8_t)(i + 2 - zero);
    zero = i + 2;
  }
  if (write(peer, wire, zero + 1) < 0) peer = -1;
}
static void tell_channel(void) {
  uint8_t payload[64], *at = payload;
  const uint32_t numbers[] = {(uint32_t)pulse, 900 * 256, 2100 * 256, 3000 * 256, 30000 * 256};
  put(&at, now_us(), 4);
  put(&at, (uint32_t)(1 << 8 | status << 16), 3); /* channel 0, a servo */
  for (int i = 0; i < 5; ++i) put(&at, numbers[i], 4);
  memcpy(at, becomes, sizeof becomes);
  memcpy(at + sizeof becomes, "own", 3);
  answer(CHANNEL, payload, at + sizeof becomes + 3);
}
static void tell_report(uint32_t count) {
  uint8_t payload[64], *at = payload;
  const uint16_t counts[] = {lost, bad, late, 0};
  put(&at, now_us(), 4);
  put(&at, heard, 2);
  put(&at, heard_at, 4);
  put(&at, stopped, 1);
  for (int i = 0; i < 4; ++i) put(&at, counts[i], 2);
  put(&at, count << 8, 2); /* from channel 0 on */
  put(&at, status, 1);
  put(&at, (uint32_t)(pulse * 65536), 4);
  put(&at, 0, 4);
  answer(REPORT, payload, count ? at : at - 9);
}
static void welcome(const uint8_t* at, uint16_t sequence) {
  uint8_t payload[32], *to = payload;
  const uint32_t near = get(&at, 2);
  round_trip_ms = (uint16_t)get(&at, 2);
  status |= BY_ITSELF;
  session = near << 16 | ++number;
  heard = sequence;
  lost = bad = late = stopped = 0;
  put(&to, near, 2);
  put(&to, now_us(), 4);
  put(&to, 128 | 1 << 8, 2); /* frames of 128 bytes, one channel */
  memcpy(to, "own end", 7);
  answer(WELCOME, payload, to + 7);
}
static void take_set(const uint8_t* at) {
  const uint32_t echo = get(&at, 4), due_at = get(&at, 4), valid_ms = get(&at, 2), range = get(&at, 4);
  const int32_t age = (int32_t)(heard_at - echo);
  if (stopped) return;
  if (age < 0 || age > round_trip_ms * 1000) {
    ++late;
    return;
  }
  if ((range & 0xffff) == 1 << 8) { /* channel 0, one of them */
    const uint8_t told = (uint8_t)get(&at, 1);
    const double to = (int32_t)get(&at, 4) / 65536.0;
    valid_until = heard_at + valid_ms * 1000u;
    if (told != FOLLOW || !(status & BY_ITSELF)) {         /* what acted by itself is told to stand first */
      if (told == FOLLOW && !(status & KNOWN)) pulse = to; /* nobody knew where it is: it is there */
      if (told == FOLLOW) target = to < 900 ? 900 : to > 2100 ? 2100 : to;
      status = (uint8_t)((status & KNOWN) | (told == FOLLOW ? KNOWN : 0));
      if (told != OFF) status |= status & KNOWN ? POWERED : 0;
      from = pulse;
      began = now_us();
      due = due_at;
      mode = told;
    }
  }
  tell_report(range >> 24);
}
static void take_frame(const uint8_t* at, size_t size) {
  const uint8_t kind = at[0] & 15, address = at[1];
  if (size < 8 || at[0] >> 4 != 1 || address != 1) return;
  at += 2;
  const uint16_t sequence = (uint16_t)get(&at, 2);
  const uint32_t of = get(&at, 4);
  heard_at = now_us();
  if (kind == GREET) welcome(at, sequence);
  if (kind == STOP) stopped = 1, status = (status & KNOWN) | BY_ITSELF;
  if (kind == GREET || kind == STOP || of != session || (int16_t)(sequence - heard) <= 0) return;
  lost = (uint16_t)(lost + sequence - heard - 1);
  heard = sequence;
  if (kind == ASSIGN) memcpy(becomes, at + 1, sizeof becomes);
  if (kind == ASK || kind == ASSIGN) tell_channel();
  if (kind == SET) take_set(at);
}
static void take_byte(uint8_t byte) {
  static uint8_t coded[256], plain[256];
  static size_t count;
  size_t size = 0, until = 0;
  if (byte != 0) {
    if (count < sizeof coded) coded[count++] = byte;
    return;
  }
  for (size_t i = 0; i < count; ++i, --until) {
    if (until != 0 || i != 0) plain[size++] = until != 0 ? coded[i] : 0;
    if (until == 0) until = coded[i];
  }
  const uint8_t* sum = plain + size - 4;
  if (size >= 12 && until == 0 && get(&sum, 4) == sum_of(plain, size - 4))
    take_frame(plain, size - 4);
  else if (count != 0)
    ++bad;
  count = 0;
}

int main(int argc, char** argv) {
  struct sockaddr_in where = {.sin_family = AF_INET, .sin_port = htons((uint16_t)atoi(argc > 1 ? argv[1] : "7325"))};
  const int server = socket(AF_INET, SOCK_STREAM, 0), yes = 1;
  where.sin_addr.s_addr = htonl(INADDR_LOOPBACK);
  setsockopt(server, SOL_SOCKET, SO_REUSEADDR, &yes, sizeof yes);
  if (bind(server, (struct sockaddr*)&where, sizeof where) != 0 || listen(server, 1) != 0) return 1;
  for (double told = 0;;) {
    uint8_t bytes[256];
    struct pollfd wait = {peer < 0 ? server : peer, POLLIN, 0};
    const int ready = poll(&wait, 1, 1) > 0;
    const ssize_t got = ready && peer >= 0 ? read(peer, bytes, sizeof bytes) : -1;
    for (ssize_t i = 0; i < got; ++i) take_byte(bytes[i]);
    if (ready && peer < 0)
      peer = accept(server, NULL, NULL);
    else if (got == 0)
      close(peer), peer = -1;
    if ((int32_t)(now_us() - valid_until) > 0) status |= BY_ITSELF; /* it stays where it is */
    if ((status & POWERED) && !(status & BY_ITSELF) && mode != OFF) {
      const double whole = (int32_t)(due - began), gone = (int32_t)(now_us() - began);
      pulse = gone >= whole ? target : from + (target - from) * gone / whole;
    }
    const double shown = status & POWERED ? pulse : 0;
    if (shown == told || (shown != 0 && told != 0 && (shown - told) * (shown - told) < 400)) continue;
    printf("pulse %.0f\n", told = shown);
    fflush(stdout);
  }
}
