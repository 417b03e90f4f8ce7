#include <gyrax/threads/real_time.hpp>

#include <fmt/format.h>

#include <sched.h>
#include <sys/mman.h>
#include <sys/prctl.h>
#include <sys/resource.h>
#include <unistd.h>
#include <cerrno>
#include <cstring>

namespace gyrax {
namespace {

constexpr int priority = 50;  // the middle: above ordinary programs, below the kernel's own threads

/// Locking what is still to come may make a later allocation fail, unless there is no limit to it.
bool may_lock_everything() {
  rlimit limit{};
  return ::geteuid() == 0 || (::getrlimit(RLIMIT_MEMLOCK, &limit) == 0 && limit.rlim_cur == RLIM_INFINITY);
}

}  // namespace

RealTime take_real_time() {
  RealTime got;
  ::prctl(PR_SET_TIMERSLACK, 1);
  sched_param wanted{};
  wanted.sched_priority = priority;
  got.priority = ::sched_setscheduler(0, SCHED_FIFO | SCHED_RESET_ON_FORK, &wanted) == 0;
  if (!got.priority)
    got.why_no_priority = fmt::format(
        "no real-time priority ({}): other programs may delay a tick; a line 'rtprio {}' for this user in "
        "/etc/security/limits.d allows it",
        std::strerror(errno), priority);
  got.memory = may_lock_everything() && ::mlockall(MCL_CURRENT | MCL_FUTURE) == 0;
  if (!got.memory)
    got.why_no_memory =
        "memory is not locked: a page that was swapped out may delay a tick; a line 'memlock unlimited' for this user "
        "in "
        "/etc/security/limits.d allows it";
  return got;
}

}  // namespace gyrax
