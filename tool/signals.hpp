// The signals of a live run.
#pragma once

#include <pthread.h>
#include <sys/signalfd.h>
#include <unistd.h>
#include <csignal>

namespace gyrax::tool {

/// What tells a program to end, or to be suspended, as something to read. Made before any thread, so that all of them
/// leave the signals alone.
class Signals {
 public:
  Signals() {
    sigset_t set;
    sigemptyset(&set);
    for (const int one : {SIGINT, SIGTERM, SIGHUP, SIGQUIT, SIGTSTP}) sigaddset(&set, one);
    ::pthread_sigmask(SIG_BLOCK, &set, nullptr);
    // The screen's library ignores SIGTSTP while it draws, unless somebody has a handler for it; and what is ignored is
    // taken away even where it waits to be read. This one is never called.
    std::signal(SIGTSTP, [](int) {});
    // In the background it goes on: writing to a terminal that others have does not stop it.
    for (const int one : {SIGTTIN, SIGTTOU}) std::signal(one, SIG_IGN);
    fd_ = ::signalfd(-1, &set, SFD_NONBLOCK | SFD_CLOEXEC);
  }
  ~Signals() { ::close(fd_); }
  Signals(const Signals&) = delete;
  Signals& operator=(const Signals&) = delete;
  int descriptor() const { return fd_; }
  /// The next signal that came; 0 if none.
  int next() {
    signalfd_siginfo info{};
    return ::read(fd_, &info, sizeof info) == sizeof info ? static_cast<int>(info.ssi_signo) : 0;
  }

 private:
  int fd_ = -1;
};

}  // namespace gyrax::tool
