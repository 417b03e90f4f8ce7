/* Frames on a wire: how they are packed, found again in a stream of bytes, and checked.
 *
 * In: a kind, an address, a session, a sequence, a payload; or bytes as they come. Out: bytes for the wire; or whole
 * frames whose sum holds. Never: memory of its own, a wait, a frame that was cut off or spoiled. The bytes are
 * described in docs/board.md.
 *
 *     gyrax_receiver in = {0};
 *     if (gyrax_take(&in, byte, &frame)) ...
 */
#ifndef GYRAX_WIRE_H
#define GYRAX_WIRE_H

#include <stddef.h>
#include <stdint.h>

#ifdef __cplusplus
extern "C" {
#endif

/* Bytes of a whole frame on the wire, both zeros included, at most; 115 of them take 10 ms at 115,200 baud. */
#ifndef GYRAX_FRAME_BYTES
#define GYRAX_FRAME_BYTES 128
#endif

enum {
  GYRAX_WIRE_VERSION = 1,
  GYRAX_HEAD_BYTES = 8,
  GYRAX_SUM_BYTES = 4,
  GYRAX_FRAMING_BYTES = 3, /* a zero at both ends, and one byte of the framing: frames are shorter than 254 */
  GYRAX_PAYLOAD_BYTES = GYRAX_FRAME_BYTES - GYRAX_HEAD_BYTES - GYRAX_SUM_BYTES - GYRAX_FRAMING_BYTES,
  GYRAX_ALL_BOARDS = 0
};

/* The near end's are below 8, the far end's from there on: an echo is known by that. */
enum {
  GYRAX_MESSAGE = 0,
  GYRAX_GREET = 1,
  GYRAX_ASK = 2,
  GYRAX_ASSIGN = 3,
  GYRAX_SET = 4,
  GYRAX_STOP = 5,
  GYRAX_STORE = 6,
  GYRAX_MORE = 7,
  GYRAX_WELCOME = 8,
  GYRAX_CHANNEL = 9,
  GYRAX_REPORT = 10,
  GYRAX_READINGS = 11,
  GYRAX_PRINT = 12,
  GYRAX_REFUSED = 13,
  GYRAX_RESULT = 14
};

typedef struct {
  uint8_t version, kind, address;
  uint16_t sequence;
  uint32_t session;
  const uint8_t* payload; /* valid until the next byte is taken */
  uint8_t size;
} gyrax_frame;

/* All zeros to begin with. */
typedef struct {
  uint8_t bytes[GYRAX_FRAME_BYTES];
  uint8_t count, until; /* bytes of the frame so far; bytes to the next zero */
  uint8_t in_frame, spoiled;
  uint16_t bad; /* frames that were begun and did not hold */
} gyrax_receiver;

/* Takes one byte. 1: *frame is whole and its sum holds; otherwise 0. */
int gyrax_take(gyrax_receiver* in, uint8_t byte, gyrax_frame* frame);

/* Packs a frame with its payload into `bytes`, of GYRAX_FRAME_BYTES. Returns how many they are; 0: it is too long. */
size_t gyrax_pack(const gyrax_frame* frame, uint8_t* bytes);

/* CRC-32 of ISO-HDLC (polynomial 04C11DB7, reflected; 0xCBF43926 for "123456789"), with a table of 16. */
uint32_t gyrax_crc32(const uint8_t* bytes, size_t size);

/* Numbers in a payload: the least significant byte first. A cursor that ran over the end says so in `wrong`. */
typedef struct {
  const uint8_t *at, *end;
  uint8_t wrong;
} gyrax_reader;
uint8_t gyrax_read_u8(gyrax_reader* in);
uint16_t gyrax_read_u16(gyrax_reader* in);
uint32_t gyrax_read_u32(gyrax_reader* in);
static inline int32_t gyrax_read_i32(gyrax_reader* in) { return (int32_t)gyrax_read_u32(in); }

typedef struct {
  uint8_t *at, *end;
  uint8_t wrong;
} gyrax_writer;
void gyrax_write_u8(gyrax_writer* out, uint8_t number);
void gyrax_write_u16(gyrax_writer* out, uint16_t number);
void gyrax_write_u32(gyrax_writer* out, uint32_t number);
/* Without its final zero; what does not fit is cut off. */
void gyrax_write_text(gyrax_writer* out, const char* text);

#ifdef __cplusplus
}
#endif
#endif
