/* The far end on a microcontroller under an emulator, and the same on the host: the vectors, then a board that is
 * greeted, moved, left alone and stopped. Prints what its outputs were told, as one number every tenth of a second:
 * both have to print the same. On the target also what it costs. */
#include "gyrax_board.h"
#include "gyrax_steps.h"
#include "vectors.h" /* made of firmware/vectors.txt by tests/firmware/run */

#include <stdio.h>
#include <string.h>

enum { CHANNELS = 16 };

static uint32_t now, sum = 2166136261u; /* FNV-1a, 32 bits */
static uint8_t in_bytes[GYRAX_FRAME_BYTES];
static size_t in_size, in_at;
static uint16_t sequence;
static uint32_t session, echo;
static gyrax_receiver near_in;

static void mix(uint32_t word) {
  for (int i = 0; i < 4; ++i) sum = (sum ^ (word >> (8 * i) & 255)) * 16777619u;
}

static uint32_t now_us(void* user) {
  (void)user;
  return now;
}
static int read_byte(void* user, uint8_t* byte) {
  (void)user;
  if (in_at == in_size) return 0;
  *byte = in_bytes[in_at++];
  return 1;
}
static size_t write_bytes(void* user, const uint8_t* bytes, size_t size) {
  gyrax_frame frame;
  (void)user;
  for (size_t i = 0; i < size; ++i) {
    mix(bytes[i]);
    if (!gyrax_take(&near_in, bytes[i], &frame)) continue;
    gyrax_reader payload = {frame.payload, frame.payload + frame.size, 0};
    if (frame.kind == GYRAX_WELCOME) {
      session = frame.session;
      gyrax_read_u16(&payload);
    }
    if (frame.kind == GYRAX_WELCOME || frame.kind == GYRAX_CHANNEL || frame.kind == GYRAX_REPORT)
      echo = gyrax_read_u32(&payload);
  }
  return size;
}
static void servo(void* user, uint8_t pin, uint32_t pulse) {
  (void)user;
  mix(pin);
  mix(pulse);
}
static void signed_power(void* user, uint8_t pin, int32_t share) {
  (void)user;
  mix(pin);
  mix((uint32_t)share);
}
static void level(void* user, uint8_t pin, int on) {
  (void)user;
  mix((uint32_t)pin << 1 | (uint32_t)on);
}

static gyrax_stepper steppers[CHANNELS];
static gyrax_steps steps;
static void go(void* user, uint8_t channel, int64_t position, uint32_t within_us) {
  (void)user;
  (void)within_us;
  mix((uint32_t)gyrax_steps_go(&steps, channel, position));
}
static int64_t counted(void* user, uint8_t channel) {
  (void)user;
  return (int64_t)steppers[channel].count * 65536;
}

static uint8_t act(void* user, uint8_t what, const char** words) {
  (void)user;
  mix((uint32_t)what << 8 | (uint32_t)(what == GYRAX_BEGIN ? (*words)[0] : 0));
  return GYRAX_UNDER_WAY;
}

static const gyrax_port port = {.now_us = now_us,
                                .read = read_byte,
                                .write = write_bytes,
                                .servo = servo,
                                .signed_power = signed_power,
                                .level = level,
                                .steps = go,
                                .counted = counted,
                                .act = act};

static void say(uint8_t kind, const gyrax_writer* end, const uint8_t* payload) {
  gyrax_frame frame = {GYRAX_WIRE_VERSION, kind, 1, 0, 0, 0, 0};
  frame.sequence = ++sequence;
  frame.session = session;
  frame.payload = payload;
  frame.size = (uint8_t)(end->at - payload);
  in_size = gyrax_pack(&frame, in_bytes);
  in_at = 0;
}

static void greet(void) {
  uint8_t payload[GYRAX_PAYLOAD_BYTES];
  gyrax_writer out = {payload, payload + sizeof payload, 0};
  gyrax_write_u16(&out, 0x1234);
  gyrax_write_u16(&out, 100);
  session = 0;
  say(GYRAX_GREET, &out, payload);
}

/* A parabola there and back: position and speed of every channel at a time. */
static void set(uint8_t first, uint8_t count, uint8_t mode, int32_t t_ms) {
  uint8_t payload[GYRAX_PAYLOAD_BYTES];
  gyrax_writer out = {payload, payload + sizeof payload, 0};
  const int32_t at = t_ms < 500 ? t_ms : 1000 - t_ms, v = t_ms < 500 ? at : -at;
  gyrax_write_u32(&out, echo);
  gyrax_write_u32(&out, now + 12000);
  gyrax_write_u16(&out, 60);
  gyrax_write_u8(&out, first);
  gyrax_write_u8(&out, count);
  gyrax_write_u8(&out, first);
  gyrax_write_u8(&out, count);
  for (uint8_t n = first; n < first + count; ++n) {
    gyrax_write_u8(&out, mode);
    gyrax_write_u32(&out, (uint32_t)((1500 << 16) + at * at / 2 * (n + 1)));
    gyrax_write_u32(&out, (uint32_t)(v * (n + 1) * 4));
  }
  say(GYRAX_SET, &out, payload);
}

static void message(uint8_t asked, const char* words) {
  uint8_t payload[GYRAX_PAYLOAD_BYTES];
  gyrax_writer out = {payload, payload + sizeof payload, 0};
  gyrax_write_u32(&out, echo);
  gyrax_write_u16(&out, 150);
  gyrax_write_u16(&out, 1);
  gyrax_write_u8(&out, asked);
  gyrax_write_text(&out, words);
  say(GYRAX_MESSAGE, &out, payload);
}

static int check_vectors(void) {
  int wrong = 0;
  for (size_t i = 0; i < sizeof vectors / sizeof *vectors; ++i) {
    const vector* v = &vectors[i];
    gyrax_receiver receiver;
    gyrax_frame frame;
    int found = 0;
    uint8_t bytes[GYRAX_FRAME_BYTES];
    memset(&receiver, 0, sizeof receiver);
    for (size_t k = 0; k < v->size; ++k) {
      if (!gyrax_take(&receiver, v->bytes[k], &frame)) continue;
      ++found;
      wrong += v->spoiled || frame.version != v->version || frame.kind != v->kind || frame.address != v->address ||
               frame.sequence != v->sequence || frame.session != v->session || frame.size != v->payload_size ||
               memcmp(frame.payload, v->payload, frame.size) != 0;
    }
    wrong += found != (v->spoiled ? 0 : 1);
    if (v->spoiled) continue;
    frame.version = v->version;
    frame.kind = v->kind;
    frame.address = v->address;
    frame.sequence = v->sequence;
    frame.session = v->session;
    frame.payload = v->payload;
    frame.size = (uint8_t)v->payload_size;
    wrong += gyrax_pack(&frame, bytes) != v->size || memcmp(bytes, v->bytes, v->size) != 0;
  }
  printf("vectors %u, wrong %d\n", (unsigned)(sizeof vectors / sizeof *vectors), wrong);
  return wrong;
}

#ifdef GYRAX_COUNT
/* One instruction is a nanosecond under the emulator; the core's own timer counts down at CLOCK_HZ. */
static volatile uint32_t* const systick = (uint32_t*)0xE000E010;
static uint32_t ticks(void) { return 0xffffff - systick[2]; }
static void report_cost(const char* what, uint32_t begin, uint32_t times) {
  const uint64_t ns = (uint64_t)((ticks() - begin) & 0xffffff) * 1000 / (CLOCK_HZ / 1000000);
  printf("%s %u\n", what, (unsigned)(ns / times));
}
static void count(gyrax_board* board) {
  uint32_t begin;
  systick[1] = 0xffffff;
  systick[2] = 0;
  systick[0] = 5;
  set(0, 8, GYRAX_MODE_FOLLOW, 100);
  begin = ticks();
  gyrax_board_run(board);
  report_cost("frame", begin, 1);
  now += 100;
  begin = ticks();
  for (int i = 0; i < 20; ++i) {
    now += GYRAX_SLICE_US;
    gyrax_board_run(board);
  }
  report_cost("slice", begin, 20);
  for (uint8_t m = 0; m < CHANNELS; ++m) gyrax_steps_go(&steps, m, (int64_t)(m + 1) << 20);
  begin = ticks();
  for (int i = 0; i < 40; ++i) gyrax_steps_tick(&steps);
  report_cost("tick", begin, 40);
  printf("ram %u\n", (unsigned)(sizeof(gyrax_board) + CHANNELS * sizeof(gyrax_state)));
}
#endif

int main(void) {
  static gyrax_board board;
  static gyrax_state states[CHANNELS];
  static gyrax_channel channels[CHANNELS];
  uint8_t kind;
  if (check_vectors() != 0) return 1;
  for (uint8_t n = 0; n < CHANNELS; ++n) {
    kind = n % 4 == 3 ? GYRAX_STEPPER : GYRAX_SERVO;
    channels[n].name = "pin";
    channels[n].kind = kind;
    channels[n].pin = n;
    channels[n].forward = channels[n].backward = GYRAX_NO_PIN;
    channels[n].limits.high = 2500 * 256;
    channels[n].limits.speed = 4000 * 256;
    channels[n].limits.accel = 20000 * 256;
    channels[n].limits.becomes = n % 3;
  }
  gyrax_steps_begin(&steps, steppers, CHANNELS, 40, 1);
  gyrax_board_begin(&board, &port, channels, CHANNELS, states, 1, "far end");
  for (uint32_t ms = 0; ms < 2000; ++ms) {
    const int heard = ms < 1200 || ms > 1500; /* silence in between */
    now += 1000;
    if (ms == 20 || ms == 1510) greet();
    if (ms > 30 && heard && ms % 10 == 0)
      set(0, 8, ms < 100 ? GYRAX_MODE_STAND : GYRAX_MODE_FOLLOW, (int32_t)ms % 1000);
    if (ms > 30 && heard && ms % 10 == 5)
      set(8, 8, ms < 100 ? GYRAX_MODE_STAND : GYRAX_MODE_FOLLOW, (int32_t)ms % 1000);
    if (ms > 300 && heard && ms % 50 == 2) message(ms < 350 ? GYRAX_BEGIN : GYRAX_GO_ON, ms < 350 ? "act" : "");
    gyrax_board_run(&board);
    for (int i = 0; i < 40; ++i) mix(gyrax_steps_tick(&steps));
    if (ms % 100 == 99) printf("%u %08lx\n", (unsigned)ms + 1, (unsigned long)sum);
  }
#ifdef GYRAX_COUNT
  count(&board);
#endif
  return 0;
}
