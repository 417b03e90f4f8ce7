/* The shortest board: one servo on one pin, in a bare loop. What stands in capitals is your microcontroller's. */
#include "../gyrax_board.h"

/* What your chip gives. Each of these is a line or two with any vendor's headers. */
extern uint32_t MICROSECONDS(void); /* a timer that counts on and wraps */
extern int SERIAL_HAS_BYTE(void);   /* of the line to the computer, 115,200 baud */
extern uint8_t SERIAL_BYTE(void);
extern int SERIAL_HAS_ROOM(void);
extern void SERIAL_SEND(uint8_t byte);
extern void SERVO_PULSE(uint32_t nanoseconds); /* 0: no pulse at all */
extern uint16_t NOISE(void);                   /* anything that differs after each power-up */

/* The library asks for everything through functions like these. `user` is yours; here nobody needs it. */
static uint32_t now_us(void* user) {
  (void)user;
  return MICROSECONDS();
}

/* A byte from the line, if there is one. It never waits. */
static int read_byte(void* user, uint8_t* byte) {
  (void)user;
  if (!SERIAL_HAS_BYTE()) return 0;
  *byte = SERIAL_BYTE();
  return 1;
}

/* As many bytes as there is room for; the rest is offered again. */
static size_t write_bytes(void* user, const uint8_t* bytes, size_t size) {
  size_t sent = 0;
  (void)user;
  while (sent < size && SERIAL_HAS_ROOM()) SERIAL_SEND(bytes[sent++]);
  return sent;
}

/* The pulse comes in 1/65536 of a microsecond. */
static void servo(void* user, uint8_t pin, uint32_t pulse) {
  (void)user;
  (void)pin;
  SERVO_PULSE((uint32_t)(((uint64_t)pulse * 1000) >> 16));
}

static uint16_t entropy(void* user) {
  (void)user;
  return NOISE();
}

/* Functions that no channel here needs stay empty: no motor, no stepper, no switch, no input. */
static const gyrax_port port = {
    .now_us = now_us, .read = read_byte, .write = write_bytes, .servo = servo, .entropy = entropy};

/* One servo: 900 to 2100 µs, at most 3000 µs a second and 30,000 µs a second, a second (each times 256). It trusts
 * nobody: whatever it is told, it goes no further, no faster and no harder. When it hears nothing it slows down and
 * stays. */
static const gyrax_channel channels[] = {
    {.name = "P0.1",
     .kind = GYRAX_SERVO,
     .pin = 1,
     .limits = {900 * 256, 2100 * 256, 3000 * 256, 30000 * 256, 0, 0, GYRAX_STAY}}};

int main(void) {
  static gyrax_board board;
  static gyrax_state states[1];
  gyrax_board_begin(&board, &port, channels, 1, states, 1, "bare loop");
  /* That is all: it answers, watches and moves from here. Call it at least once in a millisecond. */
  for (;;) gyrax_board_run(&board);
}
