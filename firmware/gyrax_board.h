/* The far end of a wire: a board that moves what it is told to, and stops by itself.
 *
 * In: bytes from the wire, time, and what its channels are. Out: pulses, shares of power, steps and levels through the
 * functions of `gyrax_port`; bytes for the wire. Never: a motion before it was greeted and told; one beyond its own
 * ends, speed or acceleration, whoever asks; one after what it was told is no longer valid, but for the stop.
 *
 *     gyrax_board board;
 *     gyrax_board_begin(&board, &port, channels, channel_count, states, 1, "lamp bridge");
 *     for (;;) gyrax_board_run(&board);
 *
 * No memory but what it is given, no floating point, no wait. The bytes on the wire are described in docs/board.md.
 *
 * Numbers: a position is a 64-bit count of 1/65536 of the channel's unit; ends, places and speeds (a second) are 32-bit
 * counts of 1/256 of it. The unit is a microsecond of pulse, full power, a step, on, or what an input counts.
 */
#ifndef GYRAX_BOARD_H
#define GYRAX_BOARD_H

#include "gyrax_wire.h"

#ifdef __cplusplus
extern "C" {
#endif

enum {
  GYRAX_SLICE_US = 1000, /* outputs get a new value so often, and keys are looked at */
  GYRAX_MOST_CHANNELS = 64,
  GYRAX_LONGEST_VALIDITY_MS = 1000,
  GYRAX_LONGEST_ROUND_TRIP_MS = 1000,
  GYRAX_TEXT_BYTES = 64,
  GYRAX_BOUNCE_US = 5000, /* a contact bounces for so long: it is not looked at again before */
  GYRAX_MOST_ANSWERS = 4
};

enum {
  GYRAX_SERVO = 1,
  GYRAX_MOTOR = 2,
  GYRAX_STEPPER = 3,
  GYRAX_SWITCH = 4,
  GYRAX_DIGITAL = 5,
  GYRAX_ANALOG = 6,
  GYRAX_ENCODER = 7
};

/* What a channel becomes when nothing valid tells it anything any more.
 * stay: slows down and stands; off: slows down and then gets no power; limp: no power at once; place: goes there. */
enum { GYRAX_STAY = 0, GYRAX_LIMP = 1, GYRAX_PLACE = 2, GYRAX_OFF = 3 };

/* What a channel is told. off: no power. stand: power, and stay; what followed before still goes to the place that it
 * is told with it. follow: be at a place by a time. braked is stand to a board: a brake is a switch of its own. */
enum { GYRAX_MODE_OFF = 0, GYRAX_MODE_STAND = 1, GYRAX_MODE_FOLLOW = 2, GYRAX_MODE_BRAKED = 3 };

/* Bits of a channel's status in a report. */
enum {
  GYRAX_MEASURED = 1,  /* its position was measured or counted, and not only told */
  GYRAX_POWERED = 2,   /* its output is driven */
  GYRAX_CLAMPED = 4,   /* it was told more than its own ends, speed or acceleration allow, since the last report */
  GYRAX_BY_ITSELF = 8, /* it did what it becomes on loss, and was not told off or stand since: it follows nothing */
  GYRAX_KNOWN = 16     /* its position means something: it was told one, or it measures */
};

/* Of an input in readings: bit 0, and above it how often a digital one changed, of 128. */
enum { GYRAX_VALID = 1 };

/* Bits of a board's state in a report. */
enum { GYRAX_STOPPED = 1, GYRAX_RAN_LATE = 2 };

/* Why a frame was refused. */
enum {
  GYRAX_OTHER_SESSION = 1,
  GYRAX_TOO_OLD = 2,
  GYRAX_AGAIN = 3,
  GYRAX_MALFORMED = 4,
  GYRAX_NO_SUCH_CHANNEL = 5,
  GYRAX_IS_STOPPED = 6,
  GYRAX_OTHER_VERSION = 7,
  GYRAX_CANNOT = 8
};

/* What a board is asked of a message that it was told: it begins, goes on, is cancelled. */
enum { GYRAX_BEGIN = 0, GYRAX_GO_ON = 1, GYRAX_CANCEL = 2 };

/* What has become of a message. Whoever acts on it returns one of the first three. */
enum { GYRAX_UNDER_WAY = 1, GYRAX_DONE = 2, GYRAX_FAILED = 3, GYRAX_CANCELLED = 4 };

/* What may be stored, and assigned: with these numbers in a frame. */
typedef struct {
  int32_t low, high; /* 1/256 unit; nothing goes beyond them */
  uint32_t speed;    /* 1/256 unit a second; 0: not limited */
  uint32_t accel;    /* 1/256 unit a second, a second; 0: not limited, and it stops at once */
  int32_t place;     /* on loss, where it becomes `place`; for a switch 256 is on */
  uint32_t place_speed;
  uint8_t becomes;
} gyrax_limits;

/* What a channel is: in flash. */
typedef struct {
  const char* name; /* of its pin, for whoever solders */
  uint8_t kind;
  uint8_t pin;               /* servo, switch, input; a motor's power; a stepper's enable */
  uint8_t forward, backward; /* a motor's directions: a pair; or one (backward == forward); none: both GYRAX_NO_PIN */
  gyrax_limits limits;
} gyrax_channel;
enum { GYRAX_NO_PIN = 255 };

/* What a channel does: in memory, for the board alone. */
typedef struct {
  gyrax_limits limits;
  int64_t p, from;         /* where it is told to be now; where the stretch under way begins; of an input: what it is */
  int32_t way;             /* of that stretch, 1/65536 unit; of a digital input: how often it changed */
  int32_t v, from_v, to_v; /* 1/256 unit a second */
  uint32_t begins, ends;   /* of that stretch, by the board's clock; of a digital input: its last change */
  uint32_t valid_until;
  uint8_t mode, status, doing, follows, chases;
} gyrax_state;

/* What a board is built on. `user` is given back to every function. */
typedef struct {
  void* user;
  uint32_t (*now_us)(void* user);                                 /* counts on, and wraps */
  int (*read)(void* user, uint8_t* byte);                         /* 1: there was one */
  size_t (*write)(void* user, const uint8_t* bytes, size_t size); /* how many it took */
  void (*talk)(void* user, int on);                               /* two-wire bus: drive it; NULL: nothing to do */
  void (*servo)(void* user, uint8_t pin, uint32_t pulse);         /* 1/65536 µs; 0: no pulse */
  void (*power)(void* user, uint8_t pin, uint16_t share);         /* of 65535; a signed motor has no direction pins */
  void (*signed_power)(void* user, uint8_t pin, int32_t share);   /* of ±65536 */
  void (*level)(void* user, uint8_t pin, int on);
  void (*steps)(void* user, uint8_t channel, int64_t position, uint32_t within_us); /* be there by then, evenly */
  int32_t (*input)(void* user, uint8_t pin, uint8_t kind, uint8_t* valid);          /* 1/256 unit; 256: a key is down */
  int64_t (*counted)(void* user, uint8_t channel);                       /* steps really made, or an encoder; 1/65536 */
  uint16_t (*entropy)(void* user);                                       /* another number after each power-up */
  int (*store)(void* user, uint8_t channel, const gyrax_limits* limits); /* keep for the next power-up; 1: kept */
  int (*recall)(void* user, uint8_t channel, gyrax_limits* limits);      /* 1: there was something */
  /* Whatever it does besides its channels. GYRAX_BEGIN: `*words` are the message, for the time of this call. Then
   * GYRAX_GO_ON every GYRAX_SLICE_US, until it returns GYRAX_DONE, or GYRAX_FAILED with `*words` that say why and stay
   * valid. GYRAX_CANCEL: at most once, it stops that at once; nobody looks at what it returns. NULL: it takes none. */
  uint8_t (*act)(void* user, uint8_t what, const char** words);
} gyrax_port;

/* What a frame is answered with. */
typedef struct {
  uint32_t heard_at;
  uint16_t heard, near_number; /* the frame's sequence; of a greeting */
  uint8_t kind, of_kind, why, first, count;
} gyrax_answer;

/* The message that it was told last. */
typedef struct {
  uint32_t valid_until; /* by the board's clock; nobody asked for it any more: it is cancelled */
  const char* why;      /* it failed; NULL: nobody said why */
  uint16_t number;
  uint8_t state; /* 0: there was none in this session */
} gyrax_message;

/* Inputs whose readings go out by themselves: what hands touch. */
typedef struct {
  uint32_t until, due; /* by the board's clock */
  uint32_t changed_at; /* the oldest change that is not told yet */
  uint16_t number;     /* of the last readings */
  uint8_t first, count, most, every_ms;
  uint8_t next, changed; /* the next one to tell, of a round under way; something waits that cannot be told later */
} gyrax_heed;

typedef struct {
  const gyrax_port* port;
  const gyrax_channel* channels;
  gyrax_state* states;
  const char* name;
  uint8_t count, address;
  uint8_t stopped, talking, ran_late;
  uint16_t number; /* of the last session, counted up */
  uint16_t max_round_trip_ms;
  uint32_t session;     /* 0: not greeted */
  uint32_t clock;       /* of the last slice */
  uint16_t heard, sent; /* sequence numbers */
  uint32_t heard_at;
  uint16_t lost, late, refused;
  /* Answers that wait until the ones before them are out; where there are too many, the newest takes the last place. */
  gyrax_answer answers[GYRAX_MOST_ANSWERS];
  uint8_t waiting;
  gyrax_heed heed;
  gyrax_message message;
  gyrax_receiver in;
  uint8_t out[GYRAX_FRAME_BYTES];
  uint8_t out_size, out_at;
  char text[GYRAX_TEXT_BYTES];
} gyrax_board;

/* `states`: as many as channels. `address`: 1 to 254. */
void gyrax_board_begin(gyrax_board* board, const gyrax_port* port, const gyrax_channel* channels, uint8_t count,
                       gyrax_state* states, uint8_t address, const char* name);
/* Takes what came, moves on to now, sends what is due. As often as can be; at least once in GYRAX_SLICE_US. */
void gyrax_board_run(gyrax_board* board);
/* Text for whoever watches the near end, cut off at GYRAX_TEXT_BYTES - 1. 0: the last one is not out yet; try again. */
int gyrax_board_print(gyrax_board* board, const char* text);

#ifdef __cplusplus
}
#endif
#endif
