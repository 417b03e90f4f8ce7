// A thread for what may take long and nobody waits for: closing a device (the kernel may ask its driver for half a
// minute), lights, rumble. In: jobs. Out: they are done, one after the other. The destructor waits for the one that is
// being done, and leaves the others undone. Private.
#pragma once

#include <condition_variable>
#include <cstddef>
#include <deque>
#include <functional>
#include <mutex>
#include <thread>

namespace gyrax {

class Errands {
 public:
  Errands() : thread_([this] { run(); }) {}
  ~Errands() {
    {
      const std::lock_guard held(lock_);
      ending_ = true;
      jobs_.clear();
    }
    news_.notify_one();
    thread_.join();
  }
  Errands(const Errands&) = delete;
  Errands& operator=(const Errands&) = delete;

  void post(std::function<void()> job) {
    {
      const std::lock_guard held(lock_);
      jobs_.push_back(std::move(job));
    }
    news_.notify_one();
  }
  /// How many wait for a slow one.
  std::size_t waiting() {
    const std::lock_guard held(lock_);
    return jobs_.size();
  }

 private:
  void run() {
    for (std::unique_lock held(lock_);;) {
      news_.wait(held, [this] { return ending_ || !jobs_.empty(); });
      if (jobs_.empty()) return;
      std::function<void()> job = std::move(jobs_.front());
      jobs_.pop_front();
      held.unlock();
      job();
      job = nullptr;  // what it holds may be the last of a device: closed here, outside the lock
      held.lock();
    }
  }

  std::mutex lock_;
  std::condition_variable news_;
  std::deque<std::function<void()>> jobs_;
  bool ending_ = false;
  std::thread thread_;  // last: what it uses is there before it starts
};

}  // namespace gyrax
