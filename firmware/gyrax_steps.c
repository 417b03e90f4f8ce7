#include "gyrax_steps.h"

#include <string.h>

void gyrax_steps_begin(gyrax_steps* steps, gyrax_stepper* motors, uint8_t count, uint16_t ticks, uint8_t set_up_ticks) {
  memset(motors, 0, count * sizeof *motors);
  steps->motors = motors;
  steps->count = count;
  steps->ticks = ticks;
  steps->set_up_ticks = set_up_ticks;
  steps->ways = 0;
  for (uint8_t i = 0; i < count; ++i) {
    motors[i].phase = 0x80000000u; /* a step is made half-way to it */
    motors[i].way = 1;
    steps->ways |= (uint32_t)1 << i;
  }
}

int64_t gyrax_steps_go(gyrax_steps* steps, uint8_t motor, int64_t position) {
  gyrax_stepper* m = &steps->motors[motor];
  const int64_t way = position * 65536 - m->said;
  const uint64_t size = (uint64_t)(way < 0 ? -way : way);
  uint64_t add = size / steps->ticks;
  if (m->has_next) return m->said / 65536; /* two slices at once are one too many */
  if (add > 0x80000000u) add = 0x80000000u;
  m->next = (uint32_t)add;
  m->next_way = (int8_t)(way < 0 ? -1 : 1);
  /* What the division leaves is part of the next slice's way. */
  m->said += (way < 0 ? -1 : 1) * (int64_t)(add * steps->ticks);
  m->has_next = 1;
  return m->said / 65536;
}

static void load(gyrax_steps* steps, uint8_t i) {
  gyrax_stepper* m = &steps->motors[i];
  if (!m->has_next) {
    m->add = 0;
    return;
  }
  if (m->next != 0 && m->next_way != m->way) {
    m->way = m->next_way;
    m->waits = steps->set_up_ticks;
    steps->ways ^= (uint32_t)1 << i;
  }
  m->add = m->next;
  m->left = steps->ticks;
  m->has_next = 0;
}

uint32_t gyrax_steps_tick(gyrax_steps* steps) {
  uint32_t made = 0;
  for (uint8_t i = 0; i < steps->count; ++i) {
    gyrax_stepper* m = &steps->motors[i];
    uint32_t before;
    if (m->left == 0) load(steps, i);
    if (m->left == 0) continue;
    --m->left;
    before = m->phase;
    if (m->way > 0) {
      m->phase = before + m->add;
      if (m->phase < before) ++m->owed;
    } else {
      m->phase = before - m->add;
      if (m->phase > before) ++m->owed;
    }
    if (m->waits != 0) {
      --m->waits;
    } else if (m->owed != 0) {
      --m->owed;
      m->count += m->way;
      made |= (uint32_t)1 << i;
    }
  }
  return made;
}
