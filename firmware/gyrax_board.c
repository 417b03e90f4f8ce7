#include "gyrax_board.h"

#include <string.h>

enum { DOES_AS_TOLD = 0, DOES_STAY, DOES_LIMP, DOES_PLACE, DOES_OFF };
enum { Q8_TO_Q16 = 256, LONGEST_STRETCH_US = 1000000, HEEDED_FOR_US = 1000000, READINGS_HEAD = 16, ONE_READING = 5 };

static int is_output(uint8_t kind) { return kind >= GYRAX_SERVO && kind <= GYRAX_SWITCH; }
/* Later and earlier on a clock that wraps. */
static int32_t since(uint32_t now, uint32_t then) { return (int32_t)(now - then); }
static int64_t magnitude(int64_t x) { return x < 0 ? -x : x; }
static int64_t clamped(int64_t x, int64_t low, int64_t high) { return x < low ? low : x > high ? high : x; }

/* ⌊√x⌋, a bit at a time. */
static uint32_t root(uint64_t x) {
  uint64_t rest = x, found = 0, bit = (uint64_t)1 << 62;
  while (bit > rest) bit >>= 2;
  for (; bit != 0; bit >>= 2) {
    if (rest >= found + bit) {
      rest -= found + bit;
      found = (found >> 1) + bit;
    } else {
      found >>= 1;
    }
  }
  return (uint32_t)found;
}

/* ---- Motion ---- */

/* Where the stretch under way has it at a time: the cubic through both ends with their speeds; after its end it goes on
 * at its last speed, as long as what it was told is valid. Where the cubic is harder than its own limits, the line
 * through its end alone: a cubic would swing past. */
static int64_t asked(const gyrax_state* s, uint32_t now, int32_t* speed) {
  const int32_t whole = since(s->ends, s->begins);
  int32_t at = since(now, s->begins);
  int64_t p, before, after, share, rest;
  *speed = s->to_v;
  if (at >= whole || s->chases) return s->from + s->way + (int64_t)s->to_v * Q8_TO_Q16 * (at - whole) / 1000000;
  if (at < 0) at = 0;
  /* What its two speeds add to a straight line: nothing where it goes evenly. */
  before = (int64_t)s->from_v * Q8_TO_Q16 * whole / 1000000 - s->way;
  after = (int64_t)s->to_v * Q8_TO_Q16 * whole / 1000000 - s->way;
  p = s->from + (int64_t)s->way * at / whole;
  share = ((int64_t)at << 16) / whole;
  rest = 65536 - share;
  p += (((before * share >> 16) * rest >> 16) * rest >> 16) - (((after * share >> 16) * share >> 16) * rest >> 16);
  /* Its slope: the line's, and the derivative of those two. */
  *speed = (int32_t)(((int64_t)s->way + (before * rest >> 16) * (rest - 2 * share) / 65536 +
                      (after * share >> 16) * (share - 2 * rest) / 65536) *
                     1000000 / Q8_TO_Q16 / whole);
  return p;
}

/* To a position that itself moves with a speed, no faster and no harder than its own limits, and never beyond its own
 * ends. Exactly there where the limits allow it; otherwise it closes in with half of its own acceleration, so that it
 * does not swing past. */
static void go_towards(gyrax_state* s, int64_t p, int64_t v) {
  const gyrax_limits* own = &s->limits;
  const int64_t low = (int64_t)own->low * Q8_TO_Q16, high = (int64_t)own->high * Q8_TO_Q16;
  const int64_t step = (int64_t)own->accel * GYRAX_SLICE_US / 1000000; /* 1/256 unit a second, in a slice */
  const int64_t inside = clamped(p, low, high);
  int64_t want, made;
  if (inside != p) {
    s->status |= GYRAX_CLAMPED;
    p = inside;
    v = 0;
  }
  want = (p - s->p) * (1000000 / GYRAX_SLICE_US) / Q8_TO_Q16;
  made = want;
  if (own->accel != 0) {
    const int64_t behind = magnitude(p - s->p - v * Q8_TO_Q16 * GYRAX_SLICE_US / 1000000);
    const int64_t closing = root((uint64_t)clamped(behind, 0, INT32_MAX) * own->accel / Q8_TO_Q16) + 1;
    made = clamped(made, v - closing, v + closing);
    made = clamped(made, s->v - step - 1, s->v + step + 1);
  }
  if (own->speed != 0) made = clamped(made, -(int64_t)own->speed, own->speed);
  made = clamped(made, -INT32_MAX, INT32_MAX);
  s->v = (int32_t)made;
  if (made == want) {
    s->p = p;
    return;
  }
  if (magnitude(made - want) * GYRAX_SLICE_US / 1000000 > 256) s->status |= GYRAX_CLAMPED; /* by a whole unit */
  s->p = clamped(s->p + made * Q8_TO_Q16 * GYRAX_SLICE_US / 1000000, low, high);
}

/* Slows down where it is. 1: it stands. */
static int slow_down(gyrax_state* s) {
  const gyrax_limits* own = &s->limits;
  const int64_t step = (int64_t)own->accel * GYRAX_SLICE_US / 1000000;
  if (own->accel == 0 || magnitude(s->v) <= step) {
    s->v = 0;
    return 1;
  }
  s->v = (int32_t)(s->v > 0 ? s->v - step : s->v + step);
  s->p = clamped(s->p + (int64_t)s->v * Q8_TO_Q16 * GYRAX_SLICE_US / 1000000, (int64_t)own->low * Q8_TO_Q16,
                 (int64_t)own->high * Q8_TO_Q16);
  return 0;
}

/* Whether the cubic of a stretch asks for more than twice its own acceleration; it is the hardest at its ends. */
static uint8_t is_too_hard(const gyrax_state* s) {
  const int64_t whole = since(s->ends, s->begins), most = 2 * (int64_t)s->limits.accel;
  const int64_t mean = (int64_t)s->way * 1000000 / Q8_TO_Q16 / whole;
  const int64_t first = (6 * mean - 4 * (int64_t)s->from_v - 2 * (int64_t)s->to_v) * 1000000 / whole;
  const int64_t last = (2 * (int64_t)s->from_v + 4 * (int64_t)s->to_v - 6 * mean) * 1000000 / whole;
  return s->limits.accel != 0 && (magnitude(first) > most || magnitude(last) > most);
}

static void become(gyrax_state* s, uint8_t what) {
  /* A second cause makes it only harder: limp over off over the others. */
  if (s->doing == DOES_LIMP || (s->doing == DOES_OFF && what != DOES_LIMP)) return;
  s->doing = what;
  s->status |= GYRAX_BY_ITSELF;
}

static void lose(gyrax_state* s) { become(s, (uint8_t)(s->limits.becomes + DOES_STAY)); }

/* A motor's place is its share of power: it stands where that is 0. */
static int has_no_place(uint8_t kind) { return kind == GYRAX_MOTOR; }

static void move(const gyrax_channel* channel, gyrax_state* s, uint32_t now) {
  int32_t v = 0;
  int64_t p;
  if (s->doing == DOES_AS_TOLD && s->mode != GYRAX_MODE_OFF && since(now, s->valid_until) > 0) lose(s);
  if (channel->kind == GYRAX_SWITCH) {
    if (s->doing == DOES_PLACE) s->p = (int64_t)s->limits.place * Q8_TO_Q16;
    if (s->doing == DOES_OFF || s->doing == DOES_LIMP || (s->doing == DOES_AS_TOLD && s->mode == GYRAX_MODE_OFF))
      s->p = 0;
    if (s->doing == DOES_AS_TOLD && s->mode == GYRAX_MODE_FOLLOW) s->p = s->from + s->way;
    return;
  }
  switch (s->doing) {
    case DOES_STAY:
      if (has_no_place(channel->kind))
        go_towards(s, 0, 0);
      else
        slow_down(s);
      return;
    case DOES_PLACE: {
      gyrax_limits usual = s->limits;
      if (s->limits.place_speed != 0 && (usual.speed == 0 || s->limits.place_speed < usual.speed))
        s->limits.speed = s->limits.place_speed;
      go_towards(s, (int64_t)usual.place * Q8_TO_Q16, 0);
      s->limits = usual;
      return;
    }
    case DOES_OFF:
      if (has_no_place(channel->kind)) {
        go_towards(s, 0, 0);
        if (s->p != 0) return;
      } else if (!slow_down(s)) {
        return;
      }
      s->status = (uint8_t)(s->status & ~GYRAX_POWERED);
      return;
    case DOES_LIMP:
      s->v = 0;
      s->status = (uint8_t)(s->status & ~GYRAX_POWERED);
      return;
    default: break;
  }
  switch (s->mode) {
    case GYRAX_MODE_OFF:
      s->v = 0;
      s->status = (uint8_t)(s->status & ~GYRAX_POWERED);
      return;
    case GYRAX_MODE_FOLLOW:
      p = asked(s, now, &v);
      go_towards(s, p, v);
      return;
    default:
      if (has_no_place(channel->kind)) {
        go_towards(s, 0, 0);
      } else if (s->follows) {
        p = asked(s, now, &v);
        go_towards(s, p, v);
      } else {
        slow_down(s);
      }
  }
}

/* ---- Outputs ---- */

static void drive_motor(const gyrax_port* port, const gyrax_channel* channel, int64_t p) {
  const int64_t share = clamped(magnitude(p), 0, 65535);
  if (channel->forward == GYRAX_NO_PIN) {
    port->signed_power(port->user, channel->pin, (int32_t)clamped(p, -65536, 65536));
    return;
  }
  port->level(port->user, channel->forward, p > 0);
  if (channel->backward != channel->forward) port->level(port->user, channel->backward, p < 0);
  port->power(port->user, channel->pin, (uint16_t)share);
}

static void drive(gyrax_board* board, uint8_t n) {
  const gyrax_port* port = board->port;
  const gyrax_channel* channel = &board->channels[n];
  const gyrax_state* s = &board->states[n];
  const int on = (s->status & GYRAX_POWERED) != 0;
  switch (channel->kind) {
    case GYRAX_SERVO: port->servo(port->user, channel->pin, on ? (uint32_t)s->p : 0); break;
    case GYRAX_MOTOR: drive_motor(port, channel, on ? s->p : 0); break;
    case GYRAX_STEPPER:
      if (channel->pin != GYRAX_NO_PIN) port->level(port->user, channel->pin, on);
      if (on) port->steps(port->user, n, s->p, GYRAX_SLICE_US);
      break;
    case GYRAX_SWITCH: port->level(port->user, channel->pin, s->p >= 32768); break;
    default: break;
  }
}

/* ---- What hands touch ---- */

/* The value of an input, 1/65536 unit. */
static int64_t sensed(gyrax_board* board, uint8_t n) {
  const gyrax_port* port = board->port;
  const gyrax_channel* channel = &board->channels[n];
  gyrax_state* s = &board->states[n];
  uint8_t valid = 1;
  const int64_t p = channel->kind == GYRAX_ENCODER
                        ? port->counted(port->user, n)
                        : (int64_t)port->input(port->user, channel->pin, channel->kind, &valid) * Q8_TO_Q16;
  s->status = (uint8_t)(valid ? GYRAX_MEASURED | GYRAX_KNOWN : 0);
  return p;
}

static int is_heeded(const gyrax_board* board, uint8_t n) {
  return n >= board->heed.first && n - board->heed.first < board->heed.count;
}

/* A key is down or up, and a dial turns, between two readings as well: a change is counted, and told as soon as the
 * wire is free. */
static void look_at_input(gyrax_board* board, uint8_t n, uint32_t now) {
  gyrax_state* s = &board->states[n];
  const int is_key = board->channels[n].kind == GYRAX_DIGITAL;
  int64_t p;
  if (is_key && now - s->begins < GYRAX_BOUNCE_US) return; /* unsigned: it may have changed an hour ago */
  p = sensed(board, n);
  if (is_key) {
    p = p == 0 ? 0 : 65536;
    if (p != s->p) {
      s->way = (s->way + 1) & 127;
      s->begins = now;
    }
  }
  if (p != s->p && board->channels[n].kind != GYRAX_ANALOG) {
    if (!board->heed.changed) board->heed.changed_at = now;
    board->heed.changed = 1;
  }
  s->p = p;
}

static void look_at_hands(gyrax_board* board, uint32_t now) {
  gyrax_heed* heed = &board->heed;
  if (heed->count == 0) return;
  if (since(now, heed->until) > 0) { /* nobody asked for them any more */
    heed->count = 0;
    return;
  }
  for (uint8_t n = heed->first; n < heed->first + heed->count; ++n)
    if (!is_output(board->channels[n].kind)) look_at_input(board, n, now);
}

/* Whether readings are to go out: every so often, at once where a key or a dial changed; and the rest of a round. */
static int are_readings_due(const gyrax_board* board) {
  const gyrax_heed* heed = &board->heed;
  return heed->count != 0 && (heed->next != heed->first || heed->changed || since(board->clock, heed->due) >= 0);
}

static void cancel(gyrax_board* board) {
  const char* words = 0;
  if (board->message.state != GYRAX_UNDER_WAY) return;
  board->message.state = GYRAX_CANCELLED;
  board->port->act(board->port->user, GYRAX_CANCEL, &words);
}

static void act(gyrax_board* board, uint8_t what, const char* message) {
  const char* words = message;
  const uint8_t state = board->port->act(board->port->user, what, &words);
  board->message.state = state == GYRAX_UNDER_WAY || state == GYRAX_DONE ? state : GYRAX_FAILED;
  board->message.why = words != message ? words : 0; /* the message itself is gone after this */
}

static void go_on(gyrax_board* board, uint32_t now) {
  if (board->message.state != GYRAX_UNDER_WAY) return;
  if (since(now, board->message.valid_until) > 0)
    cancel(board);
  else
    act(board, GYRAX_GO_ON, 0);
}

static void slice(gyrax_board* board, uint32_t now) {
  look_at_hands(board, now);
  go_on(board, now);
  for (uint8_t n = 0; n < board->count; ++n) {
    if (!is_output(board->channels[n].kind)) continue;
    move(&board->channels[n], &board->states[n], now);
    drive(board, n);
  }
}

/* ---- What is sent ---- */

static void write_refusal(const gyrax_board* board, const gyrax_answer* answer, gyrax_writer* out) {
  gyrax_write_u8(out, answer->of_kind);
  gyrax_write_u16(out, answer->heard);
  gyrax_write_u8(out, answer->why);
  gyrax_write_u32(out, board->clock);
}

static void write_welcome(const gyrax_board* board, const gyrax_answer* answer, gyrax_writer* out) {
  gyrax_write_u16(out, answer->near_number);
  gyrax_write_u32(out, board->port->now_us(board->port->user));
  gyrax_write_u8(out, GYRAX_FRAME_BYTES);
  gyrax_write_u8(out, board->count);
  gyrax_write_text(out, board->name);
}

static void write_channel(const gyrax_board* board, gyrax_writer* out, uint8_t n) {
  const gyrax_state* s = &board->states[n];
  gyrax_write_u32(out, board->port->now_us(board->port->user));
  gyrax_write_u8(out, n);
  gyrax_write_u8(out, board->channels[n].kind);
  gyrax_write_u8(out, s->status);
  gyrax_write_u32(out, (uint32_t)(s->p >> 16)); /* in whole units: the reports have the rest */
  gyrax_write_u32(out, (uint32_t)s->limits.low);
  gyrax_write_u32(out, (uint32_t)s->limits.high);
  gyrax_write_u32(out, s->limits.speed);
  gyrax_write_u32(out, s->limits.accel);
  gyrax_write_u8(out, s->limits.becomes);
  gyrax_write_u32(out, (uint32_t)s->limits.place);
  gyrax_write_u32(out, s->limits.place_speed);
  gyrax_write_text(out, board->channels[n].name);
}

static void write_measured(gyrax_board* board, gyrax_writer* out, uint8_t n) {
  const gyrax_port* port = board->port;
  const gyrax_channel* channel = &board->channels[n];
  gyrax_state* s = &board->states[n];
  int64_t p = s->p;
  if (channel->kind == GYRAX_STEPPER || channel->kind == GYRAX_ENCODER) {
    p = port->counted(port->user, n);
    s->status |= GYRAX_MEASURED | GYRAX_KNOWN;
  } else if (!is_output(channel->kind)) {
    p = sensed(board, n);
    if (!is_heeded(board, n)) s->p = p;
  }
  gyrax_write_u8(out, s->status);
  gyrax_write_u32(out, (uint32_t)p);
  gyrax_write_u32(out, (uint32_t)s->v);
  s->status = (uint8_t)(s->status & ~GYRAX_CLAMPED);
}

static void write_report(gyrax_board* board, const gyrax_answer* answer, gyrax_writer* out) {
  gyrax_write_u32(out, board->port->now_us(board->port->user));
  gyrax_write_u16(out, answer->heard);
  gyrax_write_u32(out, answer->heard_at);
  gyrax_write_u8(out, (uint8_t)((board->stopped ? GYRAX_STOPPED : 0) | (board->ran_late ? GYRAX_RAN_LATE : 0)));
  gyrax_write_u16(out, board->lost);
  gyrax_write_u16(out, board->in.bad);
  gyrax_write_u16(out, board->late);
  gyrax_write_u16(out, board->refused);
  gyrax_write_u8(out, answer->first);
  gyrax_write_u8(out, answer->count);
  for (uint8_t n = 0; n < answer->count; ++n) write_measured(board, out, (uint8_t)(answer->first + n));
  board->ran_late = 0;
}

/* The next channels of the round under way. */
static void write_readings(gyrax_board* board, const gyrax_answer* answer, gyrax_writer* out) {
  gyrax_heed* heed = &board->heed;
  const int end = heed->first + heed->count;
  int count = end - heed->next;
  uint32_t age = 0;
  if (heed->next == heed->first) { /* a round begins: what changes from now on is of the next one */
    heed->due = board->clock + heed->every_ms * 1000u;
    if (heed->changed) age = (uint32_t)since(board->clock, heed->changed_at) / 100;
    heed->changed = 0;
  }
  if (count > heed->most) count = heed->most;
  gyrax_write_u32(out, board->clock);
  gyrax_write_u16(out, answer->heard);
  gyrax_write_u32(out, answer->heard_at);
  gyrax_write_u16(out, ++heed->number);
  gyrax_write_u16(out, (uint16_t)(age > 65535 ? 65535 : age));
  gyrax_write_u8(out, heed->next);
  gyrax_write_u8(out, (uint8_t)count);
  for (int n = heed->next; n < heed->next + count; ++n) {
    gyrax_state* s = &board->states[n];
    if (board->channels[n].kind == GYRAX_ANALOG) s->p = sensed(board, (uint8_t)n);
    gyrax_write_u8(out, (uint8_t)((s->status & GYRAX_MEASURED ? GYRAX_VALID : 0) | (uint32_t)s->way << 1));
    gyrax_write_u32(out, (uint32_t)(s->p / Q8_TO_Q16));
  }
  heed->next = (uint8_t)(heed->next + count);
  if (heed->next == end) heed->next = heed->first;
}

static void write_result(const gyrax_board* board, gyrax_writer* out) {
  const gyrax_message* message = &board->message;
  gyrax_write_u32(out, board->port->now_us(board->port->user));
  gyrax_write_u16(out, message->number);
  gyrax_write_u8(out, message->state);
  if (message->state == GYRAX_FAILED && message->why != 0) gyrax_write_text(out, message->why);
}

/* Room for one more answer. */
static gyrax_answer* answer_with(gyrax_board* board, uint8_t kind) {
  gyrax_answer* answer;
  if (board->waiting < GYRAX_MOST_ANSWERS) ++board->waiting;
  answer = &board->answers[board->waiting - 1];
  memset(answer, 0, sizeof *answer);
  answer->kind = kind;
  answer->heard = board->heard;
  answer->heard_at = board->heard_at;
  return answer;
}

static void send(gyrax_board* board) {
  const gyrax_answer answer = board->answers[0];
  uint8_t payload[GYRAX_PAYLOAD_BYTES];
  gyrax_writer out = {payload, payload + GYRAX_PAYLOAD_BYTES, 0};
  gyrax_frame frame;
  switch (answer.kind) {
    case GYRAX_WELCOME: write_welcome(board, &answer, &out); break;
    case GYRAX_CHANNEL: write_channel(board, &out, answer.first); break;
    case GYRAX_REPORT: write_report(board, &answer, &out); break;
    case GYRAX_READINGS: write_readings(board, &answer, &out); break;
    case GYRAX_RESULT: write_result(board, &out); break;
    case GYRAX_PRINT:
      gyrax_write_text(&out, board->text);
      board->text[0] = 0;
      break;
    default: write_refusal(board, &answer, &out);
  }
  --board->waiting;
  memmove(board->answers, board->answers + 1, board->waiting * sizeof *board->answers);
  frame.version = GYRAX_WIRE_VERSION;
  frame.kind = answer.kind;
  frame.address = board->address;
  frame.sequence = ++board->sent;
  frame.session = board->session;
  frame.payload = payload;
  frame.size = (uint8_t)(out.at - payload);
  board->out_size = (uint8_t)gyrax_pack(&frame, board->out);
  board->out_at = 0;
}

static void send_bytes(gyrax_board* board) {
  const gyrax_port* port = board->port;
  const int is_bus = port->talk != 0;
  if (board->out_at == board->out_size) {
    if (board->talking && is_bus) port->talk(port->user, 0);
    board->talking = 0;
    if (board->waiting == 0 && !is_bus && board->session != 0 && are_readings_due(board))
      answer_with(board, GYRAX_READINGS);
    if (board->waiting == 0 && board->text[0] != 0 && board->session != 0 && !is_bus) answer_with(board, GYRAX_PRINT);
    if (board->waiting == 0) return;
    send(board);
    if (is_bus) port->talk(port->user, 1);
    board->talking = 1;
  }
  board->out_at = (uint8_t)(board->out_at + port->write(port->user, board->out + board->out_at,
                                                        (size_t)(board->out_size - board->out_at)));
}

int gyrax_board_print(gyrax_board* board, const char* text) {
  if (board->text[0] != 0) return 0;
  strncpy(board->text, text, GYRAX_TEXT_BYTES - 1);
  return 1;
}

/* ---- What is heard ---- */

static void refuse(gyrax_board* board, const gyrax_frame* frame, uint8_t why) {
  gyrax_answer* answer;
  if (why == GYRAX_TOO_OLD || why == GYRAX_AGAIN)
    ++board->late;
  else
    ++board->refused;
  answer = answer_with(board, GYRAX_REFUSED);
  answer->of_kind = frame->kind;
  answer->heard = frame->sequence;
  answer->why = why;
}

static void stop_all(gyrax_board* board, uint8_t does, int switches_too) {
  for (uint8_t n = 0; n < board->count; ++n) {
    gyrax_state* s = &board->states[n];
    if (board->channels[n].kind == GYRAX_SWITCH) {
      if (switches_too) lose(s);
    } else if (is_output(board->channels[n].kind) && (s->status & GYRAX_POWERED)) {
      if (does == DOES_AS_TOLD)
        lose(s);
      else
        become(s, does);
    }
  }
}

static void take_greeting(gyrax_board* board, gyrax_reader* in, const gyrax_frame* frame) {
  const uint16_t number = gyrax_read_u16(in), round_trip = gyrax_read_u16(in);
  if (in->wrong || round_trip == 0 || round_trip > GYRAX_LONGEST_ROUND_TRIP_MS) {
    refuse(board, frame, GYRAX_MALFORMED);
    return;
  }
  /* What moved under another session is lost to it. */
  stop_all(board, DOES_AS_TOLD, board->session != 0);
  board->number = (uint16_t)(board->number + 1);
  if (board->port->entropy != 0) board->number = (uint16_t)(board->number + board->port->entropy(board->port->user));
  board->session = (uint32_t)number << 16 | board->number;
  if (board->session == 0) board->session = 1;
  board->max_round_trip_ms = round_trip;
  board->stopped = 0;
  board->heard = frame->sequence;
  board->lost = board->late = board->refused = board->in.bad = 0;
  board->waiting = 0; /* what waits is of another session */
  board->heed.count = 0;
  cancel(board);
  board->message.state = 0;
  answer_with(board, GYRAX_WELCOME)->near_number = number;
}

static int limits_hold(const gyrax_limits* x) {
  const int is_placed = x->place >= x->low && x->place <= x->high;
  return x->low <= x->high && x->becomes <= GYRAX_OFF && (is_placed || x->becomes != GYRAX_PLACE);
}

static void read_limits(gyrax_reader* in, gyrax_limits* limits) {
  limits->low = gyrax_read_i32(in);
  limits->high = gyrax_read_i32(in);
  limits->speed = gyrax_read_u32(in);
  limits->accel = gyrax_read_u32(in);
  limits->becomes = gyrax_read_u8(in);
  limits->place = gyrax_read_i32(in);
  limits->place_speed = gyrax_read_u32(in);
}

/* What it becomes on loss; its ends and limits are the board's own. */
static uint8_t assign(gyrax_board* board, gyrax_reader* in, uint8_t* n) {
  gyrax_limits next;
  *n = gyrax_read_u8(in);
  if (*n >= board->count) return GYRAX_NO_SUCH_CHANNEL;
  next = board->states[*n].limits;
  next.becomes = gyrax_read_u8(in);
  next.place = gyrax_read_i32(in);
  next.place_speed = gyrax_read_u32(in);
  if (in->wrong || !limits_hold(&next)) return GYRAX_MALFORMED;
  board->states[*n].limits = next;
  return 0;
}

/* Only where nothing has power, and never beyond what the board was built with. */
static uint8_t store(gyrax_board* board, gyrax_reader* in, uint8_t* n) {
  gyrax_limits next;
  const gyrax_limits* built;
  *n = gyrax_read_u8(in);
  if (*n >= board->count) return GYRAX_NO_SUCH_CHANNEL;
  read_limits(in, &next);
  built = &board->channels[*n].limits;
  if (in->wrong || !limits_hold(&next) || next.low < built->low || next.high > built->high ||
      (built->speed != 0 && (next.speed == 0 || next.speed > built->speed)) ||
      (built->accel != 0 && (next.accel == 0 || next.accel > built->accel)))
    return GYRAX_MALFORMED;
  if (board->states[*n].status & GYRAX_POWERED) return GYRAX_CANNOT;
  if (board->port->store == 0 || !board->port->store(board->port->user, *n, &next)) return GYRAX_CANNOT;
  board->states[*n].limits = next;
  return 0;
}

static void set_channel(gyrax_board* board, uint8_t n, gyrax_reader* in, uint32_t due, uint32_t valid_until) {
  const gyrax_channel* channel = &board->channels[n];
  gyrax_state* s = &board->states[n];
  const uint8_t mode = gyrax_read_u8(in);
  const int32_t low_bits = gyrax_read_i32(in), v = gyrax_read_i32(in);
  /* The position nearest to where it is whose low 32 bits are these; a servo, a motor and a switch have no others. */
  const int64_t p = channel->kind == GYRAX_STEPPER ? s->p + (int32_t)((uint32_t)low_bits - (uint32_t)s->p) : low_bits;
  if (!is_output(channel->kind)) return;
  s->valid_until = valid_until;
  if (s->status & GYRAX_BY_ITSELF) {
    /* It follows nobody before it was told to stand, or off: what was lost has to be noticed at the other end, too. */
    const int is_off = mode == GYRAX_MODE_OFF || (channel->kind == GYRAX_SWITCH && p < 32768);
    if (mode == GYRAX_MODE_FOLLOW && !is_off) return;
    s->status = (uint8_t)(s->status & ~GYRAX_BY_ITSELF);
    s->follows = 0;
  }
  if (mode == GYRAX_MODE_FOLLOW && !(s->status & GYRAX_KNOWN)) {
    /* Nobody knows where it is: it is where it is told first. */
    s->p = clamped(p, (int64_t)s->limits.low * Q8_TO_Q16, (int64_t)s->limits.high * Q8_TO_Q16);
    s->v = 0;
    s->status |= GYRAX_KNOWN;
  }
  s->follows = mode == GYRAX_MODE_FOLLOW || (s->follows && s->doing == DOES_AS_TOLD && mode != GYRAX_MODE_OFF);
  s->from = s->p;
  s->from_v = s->v;
  s->way = (int32_t)clamped(p - s->p, INT32_MIN, INT32_MAX);
  s->to_v = s->limits.speed == 0 ? v : (int32_t)clamped(v, -(int64_t)s->limits.speed, s->limits.speed);
  s->begins = board->clock;
  s->ends = board->clock + (uint32_t)clamped(since(due, board->clock), GYRAX_SLICE_US, LONGEST_STRETCH_US);
  s->chases = is_too_hard(s);
  s->mode = mode;
  s->doing = DOES_AS_TOLD;
  /* Power without a place: a servo that was told none yet gets no pulse. */
  if (mode != GYRAX_MODE_OFF &&
      (s->status & GYRAX_KNOWN || has_no_place(channel->kind) || channel->kind == GYRAX_SWITCH))
    s->status |= GYRAX_POWERED | GYRAX_KNOWN;
}

/* Whether what echoes that time of this board's clock comes too late, or is from the future. */
static int is_too_old(const gyrax_board* board, uint32_t echo) {
  const int32_t age = since(board->heard_at, echo);
  return age < 0 || age > (int32_t)board->max_round_trip_ms * 1000;
}

static uint8_t take_set(gyrax_board* board, gyrax_reader* in, uint8_t* first_asked, uint8_t* asked_count) {
  const uint32_t echo = gyrax_read_u32(in), due = gyrax_read_u32(in);
  const uint16_t valid_ms = gyrax_read_u16(in);
  const uint8_t first = gyrax_read_u8(in), count = gyrax_read_u8(in);
  *first_asked = gyrax_read_u8(in);
  *asked_count = gyrax_read_u8(in);
  if (in->wrong || in->end - in->at != 9 * count || valid_ms > GYRAX_LONGEST_VALIDITY_MS) return GYRAX_MALFORMED;
  if (first + count > board->count || *first_asked + *asked_count > board->count) return GYRAX_NO_SUCH_CHANNEL;
  if (board->stopped) return GYRAX_IS_STOPPED;
  if (is_too_old(board, echo)) return GYRAX_TOO_OLD;
  for (uint8_t n = first; n < first + count; ++n)
    set_channel(board, n, in, due, board->heard_at + (uint32_t)valid_ms * 1000u);
  return 0;
}

/* One at a time: another one cancels it. The same number again keeps it going, and asks how far it is. */
static uint8_t take_message(gyrax_board* board, gyrax_reader* in) {
  gyrax_message* message = &board->message;
  const uint32_t echo = gyrax_read_u32(in);
  const uint16_t valid_ms = gyrax_read_u16(in), number = gyrax_read_u16(in);
  const uint8_t what = gyrax_read_u8(in);
  const int is_known = message->state != 0 && message->number == number;
  size_t size = (size_t)(in->end - in->at);
  char words[GYRAX_TEXT_BYTES];
  if (in->wrong || valid_ms > GYRAX_LONGEST_VALIDITY_MS || what > GYRAX_CANCEL || size >= GYRAX_TEXT_BYTES ||
      (what == GYRAX_BEGIN) != (size != 0) || (what == GYRAX_GO_ON && !is_known))
    return GYRAX_MALFORMED;
  if (board->port->act == 0) return GYRAX_CANNOT;
  if (board->stopped) return GYRAX_IS_STOPPED;
  if (is_too_old(board, echo)) return GYRAX_TOO_OLD;
  message->valid_until = board->heard_at + (uint32_t)valid_ms * 1000u;
  if (!is_known || what == GYRAX_CANCEL) cancel(board);
  if (is_known) return 0;
  message->number = number;
  message->state = GYRAX_CANCELLED;
  message->why = 0;
  if (what != GYRAX_BEGIN) return 0;
  memcpy(words, in->at, size);
  words[size] = 0;
  act(board, GYRAX_BEGIN, words);
  return 0;
}

/* Readings of these inputs go out until they were not asked for again for a second. What is asked for again goes on. */
static uint8_t heed_hands(gyrax_board* board, gyrax_reader* in) {
  gyrax_heed* heed = &board->heed;
  const uint8_t first = gyrax_read_u8(in), count = gyrax_read_u8(in), most = gyrax_read_u8(in),
                every_ms = gyrax_read_u8(in);
  if (in->wrong || most == 0 || READINGS_HEAD + most * ONE_READING > GYRAX_PAYLOAD_BYTES) return GYRAX_MALFORMED;
  if (first + count > board->count) return GYRAX_NO_SUCH_CHANNEL;
  if (heed->count != count || heed->first != first) {
    heed->first = heed->next = first;
    heed->due = board->clock;
    heed->changed = 0;
  }
  heed->count = count;
  heed->most = most;
  heed->every_ms = every_ms;
  heed->until = board->clock + HEEDED_FOR_US;
  return 0;
}

/* Whether it is a newer one of this session; counts what is missing before it. */
static uint8_t take_sequence(gyrax_board* board, const gyrax_frame* frame) {
  const int16_t step = (int16_t)(frame->sequence - board->heard);
  if (frame->session != board->session || board->session == 0) return GYRAX_OTHER_SESSION;
  if (step <= 0) return GYRAX_AGAIN;
  board->lost = (uint16_t)(board->lost + step - 1);
  board->heard = frame->sequence;
  return 0;
}

static void take_stop(gyrax_board* board, gyrax_reader* in) {
  const uint8_t category = gyrax_read_u8(in);
  board->stopped = 1;
  cancel(board);
  stop_all(board, category == 0 ? DOES_LIMP : category == 2 && !in->wrong ? DOES_STAY : DOES_OFF, 1);
}

static void take_frame(gyrax_board* board, const gyrax_frame* frame) {
  gyrax_reader in = {frame->payload, frame->payload + frame->size, 0};
  uint8_t wrong, n = 0, count = 0;
  gyrax_answer* answer;
  if (frame->kind >= GYRAX_WELCOME) return; /* the echo of our own, or of another board */
  if (frame->version != GYRAX_WIRE_VERSION) {
    if (frame->address == board->address) refuse(board, frame, GYRAX_OTHER_VERSION);
    return;
  }
  if (frame->kind == GYRAX_STOP) { /* from whom it comes matters to nobody */
    if (frame->address != GYRAX_ALL_BOARDS && frame->address != board->address) return;
    take_stop(board, &in);
    if (frame->address == GYRAX_ALL_BOARDS) return;
    answer_with(board, GYRAX_REPORT);
    return;
  }
  if (frame->address != board->address) return;
  board->heard_at = board->port->now_us(board->port->user);
  if (frame->kind == GYRAX_GREET) {
    take_greeting(board, &in, frame);
    return;
  }
  wrong = take_sequence(board, frame);
  if (wrong == 0) {
    switch (frame->kind) {
      case GYRAX_ASK:
        n = gyrax_read_u8(&in);
        wrong = in.wrong || n >= board->count ? GYRAX_NO_SUCH_CHANNEL : 0;
        break;
      case GYRAX_ASSIGN: wrong = assign(board, &in, &n); break;
      case GYRAX_STORE: wrong = store(board, &in, &n); break;
      case GYRAX_SET: wrong = take_set(board, &in, &n, &count); break;
      case GYRAX_MORE: wrong = frame->size == 0 ? 0 : heed_hands(board, &in); break;
      case GYRAX_MESSAGE: wrong = take_message(board, &in); break;
      default: wrong = GYRAX_CANNOT;
    }
  }
  if (wrong != 0) {
    refuse(board, frame, wrong);
    return;
  }
  /* Where there is one wire for each way, readings go out by themselves; two boards on one take turns. */
  if (frame->kind == GYRAX_MORE && frame->size != 0) {
    if (board->port->talk != 0) answer_with(board, GYRAX_READINGS);
    return;
  }
  /* What more there is may be nothing: an empty text. */
  answer = answer_with(board, frame->kind == GYRAX_SET       ? GYRAX_REPORT
                              : frame->kind == GYRAX_MORE    ? GYRAX_PRINT
                              : frame->kind == GYRAX_MESSAGE ? GYRAX_RESULT
                                                             : GYRAX_CHANNEL);
  answer->first = n;
  answer->count = count;
}

void gyrax_board_begin(gyrax_board* board, const gyrax_port* port, const gyrax_channel* channels, uint8_t count,
                       gyrax_state* states, uint8_t address, const char* name) {
  memset(board, 0, sizeof *board);
  memset(states, 0, count * sizeof *states);
  board->port = port;
  board->channels = channels;
  board->states = states;
  board->count = count;
  board->address = address;
  board->name = name;
  for (uint8_t n = 0; n < count; ++n) {
    gyrax_limits kept;
    states[n].limits = channels[n].limits;
    if (port->recall != 0 && port->recall(port->user, n, &kept) && limits_hold(&kept)) states[n].limits = kept;
    states[n].status = channels[n].kind == GYRAX_STEPPER ? GYRAX_KNOWN | GYRAX_BY_ITSELF : GYRAX_BY_ITSELF;
    /* Nothing has power; a switch is what it becomes when nobody is there. */
    states[n].doing = (uint8_t)(channels[n].kind == GYRAX_SWITCH ? DOES_STAY + states[n].limits.becomes : DOES_LIMP);
  }
  board->clock = port->now_us(port->user);
}

void gyrax_board_run(gyrax_board* board) {
  const gyrax_port* port = board->port;
  const uint32_t now = port->now_us(port->user);
  gyrax_frame frame;
  uint8_t byte;
  while (port->read(port->user, &byte))
    if (gyrax_take(&board->in, byte, &frame)) take_frame(board, &frame);
  if (since(now, board->clock) > 50 * GYRAX_SLICE_US) { /* it was away: no motion is made up for */
    board->ran_late = 1;
    board->clock = now - GYRAX_SLICE_US;
  }
  while (since(now, board->clock) >= GYRAX_SLICE_US) {
    board->clock += GYRAX_SLICE_US;
    slice(board, board->clock);
  }
  do send_bytes(board);
  while (board->out_at == board->out_size && board->waiting != 0);
}
