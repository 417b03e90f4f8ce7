/* A receiver that prints what it hears: for a second serial line, when a wire does not do what you expect. It sends
 * nothing, so it may hang on the same two wires as a board. What stands in capitals is your microcontroller's. */
#include "../gyrax_wire.h"

extern int SERIAL_HAS_BYTE(void);
extern uint8_t SERIAL_BYTE(void);
extern void PRINT(const char* text); /* to wherever you look */

static const char* const kinds[16] = {"?",       "greet",   "ask",    "assign",   "set",   "stop",    "store", "more",
                                      "welcome", "channel", "report", "readings", "print", "refused", "?",     "?"};

/* A number without printf, which is bigger than all of this. */
static void print_number(const char* name, uint32_t number) {
  char text[12];
  int at = 11;
  text[11] = 0;
  do {
    text[--at] = (char)('0' + number % 10);
    number /= 10;
  } while (number != 0);
  PRINT(name);
  PRINT(&text[at]);
}

int main(void) {
  static gyrax_receiver in; /* all zeros, as it has to begin */
  gyrax_frame frame;
  uint16_t bad = 0;
  for (;;) {
    if (!SERIAL_HAS_BYTE()) continue;
    /* One byte at a time; it says 1 with the last one of a frame whose sum holds. */
    if (gyrax_take(&in, SERIAL_BYTE(), &frame)) {
      PRINT(kinds[frame.kind]);
      print_number(" of board ", frame.address);
      print_number(", number ", frame.sequence);
      print_number(", bytes ", frame.size);
      /* A payload is read from the front. This one's first number is the newest time that the near end has heard. */
      if (frame.kind == GYRAX_SET) {
        gyrax_reader payload = {frame.payload, frame.payload + frame.size, 0};
        print_number(", echo ", gyrax_read_u32(&payload));
        print_number(", due ", gyrax_read_u32(&payload));
        print_number(", valid for ms ", gyrax_read_u16(&payload));
      }
      PRINT("\n");
    }
    /* What did not hold is counted, and the next frame is found by its zero. */
    if (in.bad != bad) {
      bad = in.bad;
      print_number("frames that did not hold: ", bad);
      PRINT("\n");
    }
  }
}
