/* A relay with a safe state of its own: a pump that has to run when nobody is there to say so. What stands in capitals
 * is your microcontroller's. */
#include "../gyrax_board.h"

#include <string.h>

extern uint32_t MICROSECONDS(void);
extern int SERIAL_HAS_BYTE(void);
extern uint8_t SERIAL_BYTE(void);
extern int SERIAL_HAS_ROOM(void);
extern void SERIAL_SEND(uint8_t byte);
extern void PIN(uint8_t pin, int on);
extern int PIN_READS(uint8_t pin);

static uint32_t now_us(void* user) {
  (void)user;
  return MICROSECONDS();
}
static int read_byte(void* user, uint8_t* byte) {
  (void)user;
  if (!SERIAL_HAS_BYTE()) return 0;
  *byte = SERIAL_BYTE();
  return 1;
}
static size_t write_bytes(void* user, const uint8_t* bytes, size_t size) {
  size_t sent = 0;
  (void)user;
  while (sent < size && SERIAL_HAS_ROOM()) SERIAL_SEND(bytes[sent++]);
  return sent;
}
static void level(void* user, uint8_t pin, int on) {
  (void)user;
  PIN(pin, on);
}

/* A message that it acts on: "rinse" opens a valve for three seconds, as long as water flows. It is told to go on every
 * millisecond, and never waits. */
static uint8_t act(void* user, uint8_t what, const char** words) {
  enum { VALVE = 6, RINSES_US = 3000000 };
  static uint32_t began;
  (void)user;
  if (what == GYRAX_BEGIN) {
    if (strcmp(*words, "rinse") != 0) {
      *words = "it knows rinse, and nothing else";
      return GYRAX_FAILED;
    }
    began = MICROSECONDS();
    PIN(VALVE, 1);
    return GYRAX_UNDER_WAY;
  }
  if (what == GYRAX_GO_ON && PIN_READS(5) && MICROSECONDS() - began < RINSES_US) return GYRAX_UNDER_WAY;
  PIN(VALVE, 0);
  if (what == GYRAX_CANCEL || PIN_READS(5)) return GYRAX_DONE;
  *words = "no water flows";
  return GYRAX_FAILED;
}

/* An input counts 1/256 of its unit: on is 256. A broken sensor would say *valid = 0, and nobody would believe it. */
static int32_t input(void* user, uint8_t pin, uint8_t kind, uint8_t* valid) {
  (void)user;
  (void)kind;
  *valid = 1;
  return PIN_READS(pin) ? 256 : 0;
}

static const gyrax_port port = {
    .now_us = now_us, .read = read_byte, .write = write_bytes, .level = level, .input = input, .act = act};

/* Channel 0, the relay: on loss it goes to its place, and its place is on (256). The computer's rig says what it
 * becomes as well and wins while it is connected; this is what counts before it ever was. Channel 1: whether water
 * flows. */
static const gyrax_channel channels[] = {
    {.name = "P0.4", .kind = GYRAX_SWITCH, .pin = 4, .limits = {0, 256, 0, 0, 256, 0, GYRAX_PLACE}},
    {.name = "P0.5", .kind = GYRAX_DIGITAL, .pin = 5, .limits = {0, 256, 0, 0, 0, 0, GYRAX_STAY}}};

int main(void) {
  static gyrax_board board;
  static gyrax_state states[2];
  uint32_t warned = 0;
  gyrax_board_begin(&board, &port, channels, 2, states, 1, "pump");
  for (;;) {
    gyrax_board_run(&board);
    /* Text for whoever watches the computer. It is sent between the answers and disturbs nothing. */
    if (!PIN_READS(5) && MICROSECONDS() - warned > 10000000u && gyrax_board_print(&board, "no water flows"))
      warned = MICROSECONDS();
  }
}
