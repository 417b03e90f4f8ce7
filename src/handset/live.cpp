#include "evdev_node.hpp"
#include "recorder.hpp"
#include "udev.hpp"

#include <gyrax/handset/decoder.hpp>
#include <gyrax/handset/live.hpp>
#include <gyrax/threads/latest.hpp>
#include <gyrax/threads/queue.hpp>

#include <fmt/format.h>
#include <linux/input.h>

#include <poll.h>
#include <sys/eventfd.h>
#include <unistd.h>
#include <algorithm>
#include <atomic>
#include <cerrno>
#include <deque>
#include <map>
#include <mutex>
#include <optional>
#include <thread>

namespace gyrax {
namespace {

constexpr Span publish_every = std::chrono::milliseconds(10), retry_every = std::chrono::seconds(1);
constexpr int idle_ms = 1000, busy_ms = 1;

/// How a sign feels and looks.
struct Shake {
  double strength;
  int ms;
};
constexpr Shake shake_of(Sign sign) { return sign == Sign::tripped ? Shake{1.0, 300} : Shake{0.4, 90}; }

class EventDescriptor {
 public:
  EventDescriptor() : fd_(::eventfd(0, EFD_NONBLOCK | EFD_CLOEXEC)) {
    if (fd_ < 0) throw std::system_error(errno, std::generic_category(), "no event descriptor");
  }
  ~EventDescriptor() { ::close(fd_); }
  EventDescriptor(const EventDescriptor&) = delete;
  EventDescriptor& operator=(const EventDescriptor&) = delete;
  int get() const noexcept { return fd_; }
  void set() noexcept {
    const std::uint64_t one = 1;
    [[maybe_unused]] const ssize_t written = ::write(fd_, &one, sizeof one);
  }
  void clear() noexcept {
    std::uint64_t ignored = 0;
    [[maybe_unused]] const ssize_t got = ::read(fd_, &ignored, sizeof ignored);
  }

 private:
  int fd_;
};

/// A device in its seat.
struct Sitting {
  EvdevNode node;
  UdevNode found;
  std::optional<EventDecoder> decoder;
  bool types = false;               ///< its keys also type
  std::deque<HandsetItem> backlog;  ///< what must not be lost and did not fit
  bool lost_some = false;           ///< readings did not fit; its state has to be told anew
  std::optional<Time> light_until;
};

/// A node that is there and not used.
struct Waiting {
  UdevNode node;
  std::string why;
  bool for_a_place;  ///< nothing but a place that becomes free would help
};

}  // namespace

class LiveHandsets::Work {
 public:
  Work(Seats seats, const BootClock& clock, const Options& options)
      : clock_(clock), seats_(std::move(seats)), items_(options.queue), signs_(64), published_(SeenHandsets{}) {
    udev_.listen();
    for (std::size_t s = 0; s < seats_.size(); ++s) add_sitting();
    thread_ = std::thread([this] { run(); });
  }
  ~Work() {
    ending_ = true;
    told_.set();
    thread_.join();
  }
  Work(const Work&) = delete;
  Work& operator=(const Work&) = delete;

  bool pop(HandsetItem& item) noexcept {
    if (!asked_.exchange(true)) told_.set();
    return items_.pop(item);
  }
  void sign(HandsetId handset, Sign sign) noexcept {
    if (signs_.push({handset, sign})) told_.set();
  }
  void grab_keypads(bool mine) noexcept {
    if (grab_wanted_.exchange(mine) != mine) told_.set();
  }
  const SeenHandsets& look() noexcept { return published_.look(); }
  EventDescriptor& wake() noexcept { return wake_; }

  Device device(std::size_t number) const {
    const std::lock_guard lock(devices_lock_);
    return devices_.at(number);
  }

  void start_recording() {
    recorder_.start(clock_.now());
    told_.set();
  }
  std::pair<std::vector<SessionHandset>, Span> stop_recording() {
    told_.set();
    return recorder_.stop(clock_.now());
  }

 private:
  void run() {
    // Nothing is read before somebody takes it: it would only grow old.
    for (pollfd wait{told_.get(), POLLIN, 0}; !asked_ && !ending_;) ::poll(&wait, 1, -1);
    for (const UdevNode& node : udev_.nodes()) consider(node);
    Time next_retry = clock_.now() + retry_every;
    std::vector<pollfd> wait;
    while (!ending_) {
      wait.clear();
      wait.push_back({told_.get(), POLLIN, 0});
      for (const int fd : udev_.descriptors()) wait.push_back({fd, POLLIN, 0});
      for (const Sitting& s : sittings_) wait.push_back({s.node.descriptor(), POLLIN, 0});
      ::poll(wait.data(), wait.size(), timeout_ms());
      if (wait[0].revents != 0) told_.clear();
      if (wait[1].revents != 0 || wait[2].revents != 0)
        while (const auto news = udev_.news()) hear(*news);
      const std::size_t polled = wait.size() - 3;
      for (std::size_t s = 0; s < polled; ++s)
        if (wait[3 + s].revents != 0 && wait[3 + s].fd == sittings_[s].node.descriptor())
          read(s, (wait[3 + s].revents & ~POLLIN) != 0);
      begin_recording();
      give_signs();
      catch_up();
      if (clock_.now() >= next_retry || a_place_is_free_) {
        next_retry = clock_.now() + retry_every;
        retry();
      }
      publish();
    }
  }

  int timeout_ms() const {
    const bool behind = std::any_of(sittings_.begin(), sittings_.end(),
                                    [](const Sitting& s) { return !s.backlog.empty() || s.lost_some; });
    if (behind) return busy_ms;
    const bool soon = changed_ || std::any_of(sittings_.begin(), sittings_.end(),
                                              [](const Sitting& s) { return s.light_until.has_value(); });
    return soon ? static_cast<int>(publish_every / std::chrono::milliseconds(1)) : idle_ms;
  }

  // Plugging.

  void hear(const UdevNews& news) {
    if (!news.removed) return consider(news.node);
    waiting_.erase(news.node.syspath);
    for (std::size_t s = 0; s < sittings_.size(); ++s)
      if (sittings_[s].found.syspath == news.node.syspath && !sittings_[s].node.alive()) leave(s);
  }

  /// A node that may be a handset: new, announced twice, or waiting for its permission or a place.
  void consider(const UdevNode& found) {
    if (found.node.empty()) return;
    for (std::size_t s = 0; s < sittings_.size(); ++s) {
      if (sittings_[s].found.syspath != found.syspath || !sittings_[s].node.is_open()) continue;
      if (sittings_[s].node.alive()) return;
      leave(s);
    }
    const DeviceKind kind = kind_of(found.device);
    if (kind == DeviceKind::other || kind == DeviceKind::pointer) return;
    EvdevNode node;
    const std::int64_t opened_us = clock_.since_boot_ns(clock_.now()) / 1000;
    if (const std::error_code error = node.open(found.node)) {
      if (error == std::errc::permission_denied) return wait(found, "no permission; `gyrax handsets` says what to do");
      if (error == std::errc::no_such_file_or_directory || error == std::errc::no_such_device) return forget(found);
      return wait(found, error.message());
    }
    Device device = node.describe();
    const Seats::Placed placed = seats_.place(device);
    if (!placed.seat) return wait(found, placed.why, true);
    device.named = seats_.wish(*placed.seat).named;
    forget(found);
    while (sittings_.size() < seats_.size()) add_sitting();
    sit(*placed.seat, std::move(node), device, found, clock_.at(opened_us * 1000));
    seen_.seats[*placed.seat].warning = placed.warning;
  }

  void wait(const UdevNode& found, const std::string& why, bool for_a_place = false) {
    changed_ = changed_ || waiting_.insert_or_assign(found.syspath, Waiting{found, why, for_a_place}).second;
  }
  void forget(const UdevNode& found) { changed_ = waiting_.erase(found.syspath) > 0 || changed_; }

  void retry() {
    std::vector<UdevNode> again;
    for (const auto& [syspath, one] : waiting_)
      if (!one.for_a_place || a_place_is_free_) again.push_back(one.node);
    a_place_is_free_ = false;
    for (const UdevNode& node : again) consider(node);
  }

  void add_sitting() {
    sittings_.emplace_back();
    const SeatWish& wish = seats_.wish(sittings_.size() - 1);
    SeenHandset seen;
    seen.name = wish.handset;
    seen_.seats.push_back(std::move(seen));
  }

  /// The ends of the device's own controls, where the rig does not give them.
  std::vector<SeenControl> calibrated(const SeatWish& wish, const Device& device) const {
    std::vector<SeenControl> all;
    for (const ControlId control : controls_of(device)) {
      SeenControl one{control, usual_calibration(all_controls()[index(control)]), false, 0};
      for (const SeatControl& wished : wish.controls)
        if (wished.control == control) one.calibration = wished.calibration;
      const bool own = std::any_of(wish.controls.begin(), wish.controls.end(), [&](const SeatControl& wished) {
        return wished.control == control && wished.own_ends;
      });
      const std::optional<AbsoluteRange> range = own ? std::nullopt : ends_of(device, control);
      if (range) one.calibration = fitted(one.calibration, *range).value_or(one.calibration);
      all.push_back(one);
    }
    return all;
  }

  void sit(std::size_t seat, EvdevNode node, const Device& device, const UdevNode& found, Time at) {
    Sitting& s = sittings_[seat];
    const SeatWish& wish = seats_.wish(seat);
    SeenHandset& seen = seen_.seats[seat];
    std::set<ControlId> held;
    for (const std::uint16_t code : node.keys_down())
      if (const ControlName* control = control_on(device, EV_KEY, code)) held.insert(control->id);
    s.node = std::move(node);
    s.found = found;
    s.types = kind_of(device) == DeviceKind::keypad;
    s.decoder.emplace(id(seat), device);
    seen.node = found.node;
    seen.device = device;
    seen.present = true;
    seen.controls = calibrated(wish, device);
    introduce(seat, wish, device);
    std::vector<Reading> readings;
    s.decoder->plugged(at, readings, held);
    hand_over(seat, readings, true);
    recorder_.plugged(seat, seen, at);
    changed_ = true;
  }

  /// Tells the engine's side which device comes, and the ends of its controls.
  void introduce(std::size_t seat, const SeatWish& wish, const Device& device) {
    HandsetItem item;
    item.kind = HandsetItem::Kind::seated;
    item.reading.handset = id(seat);
    {
      const std::lock_guard lock(devices_lock_);
      item.number = devices_.size();
      devices_.push_back(device);
    }
    push(seat, item, true);
    item.kind = HandsetItem::Kind::calibrate;
    for (const SeatControl& wished : wish.controls) {
      if (wished.slot == no<SlotId> || wished.calibration.kind() == ControlKind::key ||
          wished.calibration.kind() == ControlKind::counts)
        continue;
      item.slot = wished.slot;
      for (const SeenControl& one : seen_.seats[seat].controls)
        if (one.control == wished.control) item.calibration = one.calibration;
      push(seat, item, true);
    }
  }

  void leave(std::size_t seat) {
    Sitting& s = sittings_[seat];
    const Time now = clock_.now();
    std::vector<Reading> readings;
    s.decoder->unplugged(now, readings);
    hand_over(seat, readings, true);
    s.node = EvdevNode();
    s.found = UdevNode();
    s.light_until.reset();
    s.lost_some = false;
    seen_.seats[seat].present = seen_.seats[seat].grabbed = false;
    for (SeenControl& control : seen_.seats[seat].controls) control.known = false;
    seats_.vacate(seat);
    a_place_is_free_ = true;
    recorder_.unplugged(seat, now);
    changed_ = true;
  }

  // Reading.

  void read(std::size_t seat, bool hung_up) {
    Sitting& s = sittings_[seat];
    events_.clear();
    const EvdevNode::Got got = s.node.read(events_);
    decode(seat, false);
    if (got != EvdevNode::Got::gone && !(got == EvdevNode::Got::nothing && hung_up)) return;
    const UdevNode found = s.found;
    const bool there = s.node.alive();
    leave(seat);
    // It is in its socket and cannot be read from: perhaps a fresh start helps.
    if (there) wait(found, "reading from it failed; it is tried again");
  }

  void decode(std::size_t seat, bool must) {
    if (events_.empty()) return;
    const Time arrival = clock_.now();
    readings_.clear();
    for (const InputEvent& event : events_) {
      sittings_[seat].decoder->event(event, clock_.at(event.time_us * 1000), arrival, readings_);
      if (event.type == EV_SYN && event.code == SYN_REPORT) ++seen_.seats[seat].reports;
    }
    seen_.seats[seat].dropped_by_kernel = sittings_[seat].decoder->gaps();
    recorder_.events(seat, events_, clock_);
    hand_over(seat, readings_, must);
  }

  void hand_over(std::size_t seat, const std::vector<Reading>& readings, bool must) {
    SeenHandset& seen = seen_.seats[seat];
    bool any = false;
    for (const Reading& reading : readings) {
      HandsetItem item;
      item.reading = reading;
      any = push(seat, item, must) || any;
      for (SeenControl& control : seen.controls) {
        if (control.control != reading.control) continue;
        const bool counts = all_controls()[index(control.control)].kind == ControlKind::counts;
        control.raw = counts ? control.raw + reading.raw : reading.raw;
        control.known = true;
      }
      if (reading.control == ControlId::gap)
        for (SeenControl& control : seen.controls) control.known = false;
    }
    seen.readings += readings.size();
    if (any) wake_.set();
    changed_ = true;
  }

  /// Into the queue; what must arrive waits where there is no room, and what may be lost is lost then.
  bool push(std::size_t seat, const HandsetItem& item, bool must) {
    Sitting& s = sittings_[seat];
    if (s.backlog.empty() && items_.push(item)) return true;
    if (must) {
      s.backlog.push_back(item);
    } else {
      ++seen_.seats[seat].dropped_by_queue;
      s.lost_some = true;
    }
    return false;
  }

  void catch_up() {
    bool any = false;
    for (std::size_t seat = 0; seat < sittings_.size(); ++seat) {
      Sitting& s = sittings_[seat];
      while (!s.backlog.empty() && items_.push(s.backlog.front())) {
        s.backlog.pop_front();
        any = true;
      }
      if (!s.backlog.empty() || !s.lost_some || !s.node.is_open()) continue;
      // What was lost may be a release: the state is told anew, as after the kernel's own drops.
      s.lost_some = false;
      events_.clear();
      if (s.node.read_over(events_) == EvdevNode::Got::gone) continue;
      seen_.seats[seat].dropped_by_queue += static_cast<std::uint64_t>(events_.front().value);
      decode(seat, true);
    }
    if (any) wake_.set();
  }

  // Signs and grabs.

  void give_signs() {
    for (std::pair<HandsetId, Sign> one; signs_.pop(one);) {
      const std::size_t seat = index(one.first);
      if (seat >= sittings_.size() || !sittings_[seat].node.is_open() || !seats_.wish(seat).signs) continue;
      const Shake shake = shake_of(one.second);
      sittings_[seat].node.rumble(shake.strength, shake.ms);
      if (!sittings_[seat].light_until) sittings_[seat].node.light(true);
      sittings_[seat].light_until = clock_.now() + std::chrono::milliseconds(shake.ms);
    }
    for (std::size_t seat = 0; seat < sittings_.size(); ++seat) {
      Sitting& s = sittings_[seat];
      if (s.light_until && clock_.now() >= *s.light_until) {
        s.node.light(false);
        s.light_until.reset();
      }
      // With a key down its release would go to one side alone, and the other would repeat it for ever.
      bool& grabbed = seen_.seats[seat].grabbed;
      if (s.node.is_open() && s.types && grabbed != grab_wanted_ && !s.node.any_key_down() &&
          s.node.grab(grab_wanted_)) {
        grabbed = grab_wanted_;
        changed_ = true;
      }
    }
  }

  void begin_recording() {
    const bool recording = recorder_.recording();
    changed_ = changed_ || seen_.recording != recording;
    seen_.recording = recording;
    if (!recorder_.begins()) return;
    // Since before it began.
    for (std::size_t seat = 0; seat < sittings_.size(); ++seat)
      if (sittings_[seat].node.is_open()) recorder_.plugged(seat, seen_.seats[seat], Time{});
  }

  void publish() {
    const Time now = clock_.now();
    if (!changed_ || now - seen_.at < publish_every) return;
    changed_ = false;
    seen_.at = now;
    seen_.notes.clear();
    for (const auto& [syspath, one] : waiting_)
      seen_.notes.push_back(fmt::format("{} ({}): {}", one.node.device.name, one.node.node, one.why));
    published_.draft() = seen_;
    published_.publish();
  }

  static HandsetId id(std::size_t seat) { return id_at<HandsetId>(seat); }

  const BootClock clock_;
  Udev udev_;
  Seats seats_;
  std::deque<Sitting> sittings_;  // by seat
  std::map<std::string, Waiting> waiting_;
  std::vector<InputEvent> events_;
  std::vector<Reading> readings_;
  SeenHandsets seen_;
  bool changed_ = true, a_place_is_free_ = false;

  Queue<HandsetItem> items_;
  Queue<std::pair<HandsetId, Sign>> signs_;
  Latest<SeenHandsets> published_;
  EventDescriptor told_, wake_;
  std::atomic<bool> ending_{false}, grab_wanted_{false}, asked_{false};

  mutable std::mutex devices_lock_;
  std::vector<Device> devices_;
  Recorder recorder_;

  std::thread thread_;  // last: everything that it uses is there before it starts
};

LiveHandsets::LiveHandsets(Seats seats, const BootClock& clock) : LiveHandsets(std::move(seats), clock, Options{}) {}
LiveHandsets::LiveHandsets(Seats seats, const BootClock& clock, const Options& options)
    : work_(std::make_unique<Work>(std::move(seats), clock, options)) {}
LiveHandsets::~LiveHandsets() = default;

bool LiveHandsets::pop(HandsetItem& item) noexcept { return work_->pop(item); }
void LiveHandsets::sign(HandsetId handset, Sign sign) noexcept { work_->sign(handset, sign); }
void LiveHandsets::grab_keypads(bool mine) noexcept { work_->grab_keypads(mine); }
int LiveHandsets::wake_descriptor() const noexcept { return work_->wake().get(); }
void LiveHandsets::clear_wake() noexcept { work_->wake().clear(); }
const SeenHandsets& LiveHandsets::look() noexcept { return work_->look(); }
void LiveHandsets::start_recording() { work_->start_recording(); }
std::pair<std::vector<SessionHandset>, Span> LiveHandsets::stop_recording() { return work_->stop_recording(); }
Device LiveHandsets::device(std::size_t number) const { return work_->device(number); }

}  // namespace gyrax
