// The opening side of the live handsets, a thread of its own: hears of devices, opens them, seats them, hands them to
// the reading side, and takes back what is gone. In: what the rig wishes for each handset. Out: devices handed over; a
// snapshot for the viewer. Never: reading. Private.
#pragma once

#include "descriptor.hpp"
#include "errands.hpp"
#include "node_reader.hpp"
#include "recorder.hpp"
#include "sitting.hpp"
#include "udev.hpp"
#include "wire_seeker.hpp"

#include <gyrax/threads/boot_clock.hpp>
#include <gyrax/threads/latest.hpp>
#include <gyrax/threads/queue.hpp>

#include <array>
#include <atomic>
#include <map>
#include <mutex>
#include <optional>
#include <thread>

namespace gyrax {

class Opener {
 public:
  /// What the viewer gets: the numbers of each device that sits are in `watched`, by seat.
  struct Published {
    SeenHandsets seen;
    std::array<std::shared_ptr<const Watched>, max_handsets> watched;
  };

  /// Starts at begin(). `told` wakes it, and is set by the reader whenever it gives a device back.
  Opener(Seats seats, const BootClock& clock, NodeReader& reader, Recorder& recorder, EventDescriptor& told);
  ~Opener();
  Opener(const Opener&) = delete;
  Opener& operator=(const Opener&) = delete;

  // The reading thread.
  /// Nothing is opened before somebody reads: what a device sends would only grow old.
  void begin() noexcept {
    if (!asked_.load(std::memory_order_relaxed) && !asked_.exchange(true)) told_.set();
  }
  void sign(HandsetId handset, Sign sign) noexcept {
    if (signs_.push({handset, sign})) told_.set();
  }
  void grab_keypads(bool mine) noexcept {
    if (grab_wanted_.exchange(mine) != mine) told_.set();
  }

  // The viewer.
  const Published& look() noexcept { return published_.look(); }
  void wake() noexcept { told_.set(); }
  Device device(std::size_t number) const {
    const std::lock_guard held(devices_lock_);
    return devices_.at(number);
  }

 private:
  /// A node that is there and not used.
  struct Waiting {
    UdevNode node;
    std::string why;   ///< empty: a moment's wait that is not worth a word
    bool for_a_place;  ///< nothing but a place that becomes free would help
  };
  /// What stands in a seat; `device` is empty where nothing does.
  struct Seat {
    std::unique_ptr<Sitting> device;
    UdevNode found;
    bool types = false;               ///< its keys also type
    bool let_go = false;              ///< the reader has been told to give it back
    std::optional<std::size_t> wire;  ///< it hangs on that one
    std::optional<Time> light_until;
  };

  void run();
  int timeout_ms() const;
  void hear(const UdevNews& news);
  void consider(const UdevNode& found);
  void wait(const UdevNode& found, const std::string& why, bool for_a_place = false);
  void forget(const UdevNode& found) { changed_ = waiting_.erase(found.syspath) > 0 || changed_; }
  void retry();
  void add_seat();
  void take_wired();
  void sit(std::size_t seat, std::shared_ptr<HandsetNode> node, const UdevNode& found, Time at);
  void introduce(std::size_t seat, const Device& device);
  void let_go(std::size_t seat);
  void take_back();
  void leave(std::size_t seat);
  void ask_state(std::size_t seat);
  void give_signs();
  void give_grabs();
  bool grab_is_due(std::size_t seat) const;
  void begin_recording();
  void publish();

  const BootClock clock_;
  NodeReader& reader_;
  Recorder& recorder_;
  EventDescriptor& told_;
  Udev udev_;
  Seats seats_;
  std::array<Seat, max_handsets> sitting_;
  std::map<std::string, Waiting> waiting_;
  std::optional<WireSeeker> wires_;
  std::vector<std::string> wire_notes_;          // what is wrong on them
  std::map<std::size_t, std::string> unplaced_;  // on a wire, without a seat: why
  Published now_;
  bool changed_ = true, a_place_is_free_ = false;

  Queue<std::pair<HandsetId, Sign>> signs_;
  Latest<Published> published_;
  std::atomic<bool> ending_{false}, grab_wanted_{false}, asked_{false};

  mutable std::mutex devices_lock_;
  std::vector<Device> devices_;

  Errands errands_;
  std::thread thread_;  // last: everything that it uses is there before it starts
};

}  // namespace gyrax
