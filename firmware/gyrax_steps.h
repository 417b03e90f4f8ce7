/* Steps for up to 32 motors from one timer.
 *
 * In: where each is to be at the end of the next slice; the timer's ticks. Out: which motors step in this tick, and
 * which way. Never: a step that is lost or made up: the count is the position, rounded to the nearest step; a step once
 * its slice is over and nothing new was said.
 *
 *     gyrax_steps_go(&steps, axis, position);      // in the board's loop, once a slice, for each motor
 *     pins(gyrax_steps_tick(&steps), steps.ways);  // in the timer's interrupt
 *
 * A slice that is said while another is under way begins when that is over, so the loop may be late by a whole slice.
 * At a steady speed the times between steps differ by one tick at most: a phase of 32 bits grows by the same in each
 * tick.
 */
#ifndef GYRAX_STEPS_H
#define GYRAX_STEPS_H

#include <stdint.h>

#ifdef __cplusplus
extern "C" {
#endif

typedef struct {
  int64_t said;           /* where it will be at the end of what was said last, 1/2^32 step */
  uint32_t phase, add;    /* of a step, 1/2^32; grows, or shrinks, by `add` in a tick */
  volatile uint32_t next; /* the next slice's */
  int32_t count;          /* steps made, from 0 */
  uint16_t left;          /* ticks of this slice */
  int8_t way;             /* 1 or -1 */
  volatile int8_t next_way;
  volatile uint8_t has_next;
  uint8_t waits, owed; /* ticks until its direction has settled; steps that fell into them */
} gyrax_stepper;

typedef struct {
  gyrax_stepper* motors;
  uint8_t count;
  uint8_t set_up_ticks; /* between a change of direction and the next step */
  uint16_t ticks;       /* of a slice */
  uint32_t ways;        /* a bit for each motor: 1 forward */
} gyrax_steps;

/* `ticks`: of the timer in a slice; `set_up_ticks`: that a driver needs between direction and step. */
void gyrax_steps_begin(gyrax_steps* steps, gyrax_stepper* motors, uint8_t count, uint16_t ticks, uint8_t set_up_ticks);
/* To a position, 1/65536 step, evenly over the next slice: one step in two ticks at most, what is more is cut off.
 * Returns where it will really be then. */
int64_t gyrax_steps_go(gyrax_steps* steps, uint8_t motor, int64_t position);
/* One tick. A bit for each motor that makes a step now; its pin goes down again with the next tick. */
uint32_t gyrax_steps_tick(gyrax_steps* steps);

#ifdef __cplusplus
}
#endif
#endif
