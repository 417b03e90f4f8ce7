#include "gyrax_wire.h"

#include <string.h>

uint32_t gyrax_crc32(const uint8_t* bytes, size_t size) {
  static const uint32_t table[16] = {0x00000000u, 0x1db71064u, 0x3b6e20c8u, 0x26d930acu, 0x76dc4190u, 0x6b6b51f4u,
                                     0x4db26158u, 0x5005713cu, 0xedb88320u, 0xf00f9344u, 0xd6d6a3e8u, 0xcb61b38cu,
                                     0x9b64c2b0u, 0x86d3d2d4u, 0xa00ae278u, 0xbdbdf21cu};
  uint32_t sum = 0xffffffffu;
  for (size_t i = 0; i < size; ++i) {
    sum ^= bytes[i];
    sum = (sum >> 4) ^ table[sum & 15];
    sum = (sum >> 4) ^ table[sum & 15];
  }
  return ~sum;
}

uint8_t gyrax_read_u8(gyrax_reader* in) {
  if (in->at == in->end) {
    in->wrong = 1;
    return 0;
  }
  return *in->at++;
}

uint16_t gyrax_read_u16(gyrax_reader* in) {
  const uint16_t low = gyrax_read_u8(in);
  return (uint16_t)(low | gyrax_read_u8(in) << 8);
}

uint32_t gyrax_read_u32(gyrax_reader* in) {
  const uint32_t low = gyrax_read_u16(in);
  return low | (uint32_t)gyrax_read_u16(in) << 16;
}

void gyrax_write_u8(gyrax_writer* out, uint8_t number) {
  if (out->at == out->end)
    out->wrong = 1;
  else
    *out->at++ = number;
}

void gyrax_write_u16(gyrax_writer* out, uint16_t number) {
  gyrax_write_u8(out, (uint8_t)number);
  gyrax_write_u8(out, (uint8_t)(number >> 8));
}

void gyrax_write_u32(gyrax_writer* out, uint32_t number) {
  gyrax_write_u16(out, (uint16_t)number);
  gyrax_write_u16(out, (uint16_t)(number >> 16));
}

void gyrax_write_text(gyrax_writer* out, const char* text) {
  while (*text != 0 && out->at != out->end) *out->at++ = (uint8_t)*text++;
}

/* Consistent overhead byte stuffing (Cheshire and Baker, 1999): each zero becomes the distance to the next one, so that
 * a zero on the wire is the end of a frame and nothing else. */
size_t gyrax_pack(const gyrax_frame* frame, uint8_t* bytes) {
  uint8_t plain[GYRAX_HEAD_BYTES + GYRAX_PAYLOAD_BYTES + GYRAX_SUM_BYTES];
  gyrax_writer out = {plain, plain + sizeof plain, 0};
  size_t size, zero = 1;
  if (frame->size > GYRAX_PAYLOAD_BYTES) return 0;
  gyrax_write_u8(&out, (uint8_t)(frame->version << 4 | frame->kind));
  gyrax_write_u8(&out, frame->address);
  gyrax_write_u16(&out, frame->sequence);
  gyrax_write_u32(&out, frame->session);
  if (frame->size != 0) memcpy(out.at, frame->payload, frame->size);
  out.at += frame->size;
  gyrax_write_u32(&out, gyrax_crc32(plain, (size_t)(out.at - plain)));
  size = (size_t)(out.at - plain);
  bytes[0] = 0;
  for (size_t i = 0; i < size; ++i) {
    bytes[i + 2] = plain[i];
    if (plain[i] != 0) continue;
    bytes[zero] = (uint8_t)(i + 2 - zero);
    zero = i + 2;
  }
  bytes[zero] = (uint8_t)(size + 2 - zero);
  bytes[size + 2] = 0;
  return size + GYRAX_FRAMING_BYTES;
}

static int holds(gyrax_receiver* in, gyrax_frame* frame) {
  gyrax_reader head = {in->bytes, in->bytes + in->count, 0};
  gyrax_reader sum;
  uint8_t first;
  if (in->spoiled || in->until != 0 || in->count < GYRAX_HEAD_BYTES + GYRAX_SUM_BYTES) return 0;
  sum.at = in->bytes + in->count - GYRAX_SUM_BYTES;
  sum.end = in->bytes + in->count;
  sum.wrong = 0;
  if (gyrax_read_u32(&sum) != gyrax_crc32(in->bytes, (size_t)in->count - GYRAX_SUM_BYTES)) return 0;
  first = gyrax_read_u8(&head);
  frame->version = first >> 4;
  frame->kind = first & 15;
  frame->address = gyrax_read_u8(&head);
  frame->sequence = gyrax_read_u16(&head);
  frame->session = gyrax_read_u32(&head);
  frame->payload = head.at;
  frame->size = (uint8_t)(in->count - GYRAX_HEAD_BYTES - GYRAX_SUM_BYTES);
  return 1;
}

int gyrax_take(gyrax_receiver* in, uint8_t byte, gyrax_frame* frame) {
  if (byte == 0) {
    const int whole = in->in_frame && holds(in, frame);
    if (in->in_frame && !whole) ++in->bad;
    in->in_frame = in->count = in->until = in->spoiled = 0;
    return whole;
  }
  if (!in->in_frame) { /* its first byte: how far it is to the first zero */
    in->in_frame = 1;
    in->until = (uint8_t)(byte - 1);
  } else if (in->spoiled || in->count == sizeof in->bytes) {
    in->spoiled = 1;
  } else if (in->until == 0) { /* here stood a zero; how far it is to the next */
    in->bytes[in->count++] = 0;
    in->until = (uint8_t)(byte - 1);
  } else {
    in->bytes[in->count++] = byte;
    --in->until;
  }
  return 0;
}
