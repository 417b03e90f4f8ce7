/* The little that stands between a reset and main() on a Cortex-M under an emulator with semihosting. */
#include <stdint.h>
#include <stdlib.h>

extern uint32_t stack_top, data_from, data_begin, data_end, bss_begin, bss_end;
extern void __libc_init_array(void);
extern void initialise_monitor_handles(void);
extern int main(void);

void reset(void) {
  *(volatile uint32_t*)0xE000ED88 |= 0xFu << 20; /* CPACR: the floating-point unit */
  __asm volatile("dsb\n isb");
  uint32_t* from = &data_from;
  for (uint32_t* to = &data_begin; to < &data_end;) *to++ = *from++;
  for (uint32_t* to = &bss_begin; to < &bss_end;) *to++ = 0;
  initialise_monitor_handles();
  __libc_init_array();
  exit(main());
}

static void fault(void) { exit(99); }

void* __dso_handle;
void _init(void) {}
void _fini(void) {}

__attribute__((section(".vectors"), used)) static void* const vectors[16] = {&stack_top, (void*)reset, (void*)fault, (void*)fault,
                                                                             (void*)fault, (void*)fault, (void*)fault};
