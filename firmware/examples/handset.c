/* A handset of one's own parts: a stick of two potentiometers, three keys and a handwheel. It moves nothing; it tells
 * what hands do. What stands in capitals is your microcontroller's. */
#include "../gyrax_board.h"

extern uint32_t MICROSECONDS(void);
extern int SERIAL_HAS_BYTE(void);
extern uint8_t SERIAL_BYTE(void);
extern int SERIAL_HAS_ROOM(void);
extern void SERIAL_SEND(uint8_t byte);
extern uint16_t NOISE(void);
extern int PIN_READS(uint8_t pin);      /* 1: high */
extern uint16_t CONVERTED(uint8_t pin); /* of the analogue pin, 0 to 4095 */
extern int32_t WHEEL_COUNTS(void);      /* of the handwheel's two contacts, up and down, since power-up */

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
static uint16_t entropy(void* user) {
  (void)user;
  return NOISE();
}

/* What an input is now, in 1/256: the library asks for keys once in a millisecond, waits out their bouncing, and counts
 * each press, so that none is lost with a frame. A key connects its pin to ground: low is pressed.
 * A potentiometer whose wire is broken reads an end that its stick never reaches. Say so, and Gyrax stops; never put a
 * middle value in its place. */
static int32_t input(void* user, uint8_t pin, uint8_t kind, uint8_t* valid) {
  uint16_t raw;
  (void)user;
  if (kind == GYRAX_DIGITAL) return PIN_READS(pin) ? 0 : 256;
  raw = CONVERTED(pin);
  *valid = raw > 40 && raw < 4055;
  return (int32_t)raw * 256;
}

/* A handwheel counts on, and nothing is lost between two frames. In 1/65536. */
static int64_t counted(void* user, uint8_t channel) {
  (void)user;
  (void)channel;
  return (int64_t)WHEEL_COUNTS() * 65536;
}

static const gyrax_port port = {
    .now_us = now_us, .read = read_byte, .write = write_bytes, .input = input, .counted = counted, .entropy = entropy};

/* Each input has the name of the control that it is, as Gyrax names controls: by where they sit. A rig binds them by
 * these names. The two numbers of a stick are its ends; `gyrax calibrate --wire serial:/dev/…` measures better ones. */
static const gyrax_channel channels[] = {
    {.name = "stick.left.x", .kind = GYRAX_ANALOG, .pin = 0, .limits = {.low = 100 * 256, .high = 3995 * 256}},
    {.name = "stick.left.y", .kind = GYRAX_ANALOG, .pin = 1, .limits = {.low = 100 * 256, .high = 3995 * 256}},
    {.name = "shoulder.right", .kind = GYRAX_DIGITAL, .pin = 2},
    {.name = "menu.right", .kind = GYRAX_DIGITAL, .pin = 3},
    {.name = "face.east", .kind = GYRAX_DIGITAL, .pin = 4},
    {.name = "dial.1", .kind = GYRAX_ENCODER}};
enum { CHANNELS = sizeof channels / sizeof channels[0] };

int main(void) {
  static gyrax_board board;
  static gyrax_state states[CHANNELS];
  gyrax_board_begin(&board, &port, channels, CHANNELS, states, 1, "bench stick");
  /* Once it is asked for its readings it sends them by itself, a hundred times a second, and at once where a key or the
   * wheel changed. */
  for (;;) gyrax_board_run(&board);
}
