#include "opener.hpp"

#include "evdev_node.hpp"

#include <fmt/format.h>

#include <poll.h>
#include <algorithm>
#include <utility>

namespace gyrax {
namespace {

constexpr Span publish_every = std::chrono::milliseconds(10), retry_every = std::chrono::seconds(1);
constexpr int idle_ms = 1000, wires_ms = 100, soon_ms = 10;
constexpr std::size_t most_errands = 8;  // beyond them a sign comes too late to mean anything

/// How a sign feels and looks.
struct Shake {
  double strength;
  int ms;
};
constexpr Shake shake_of(Sign sign) {
  return sign == Sign::tripped ? Shake{1.0, 300} : sign == Sign::prepared ? Shake{0.2, 250} : Shake{0.4, 90};
}

HandsetId id(std::size_t seat) { return id_at<HandsetId>(seat); }

/// The ends of the device's own controls, where the rig does not give them.
std::vector<SeenControl> calibrated(const SeatWish& wish, const Device& device) {
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

}  // namespace

Opener::Opener(Seats seats, const BootClock& clock, NodeReader& reader, Recorder& recorder, EventDescriptor& told)
    : clock_(clock),
      reader_(reader),
      recorder_(recorder),
      told_(told),
      seats_(std::move(seats)),
      signs_(64),
      published_(Published{}) {
  udev_.listen();
  for (std::size_t s = 0; s < seats_.size(); ++s) add_seat();
  thread_ = std::thread([this] { run(); });
}

Opener::~Opener() {
  ending_ = true;
  told_.set();
  thread_.join();
}

void Opener::run() {
  for (pollfd wait{told_.get(), POLLIN, 0}; !asked_ && !ending_;) ::poll(&wait, 1, -1);
  if (!ending_ && !seats_.wires().empty()) wires_.emplace(seats_.wires(), clock_, told_);
  for (const UdevNode& node : udev_.nodes()) consider(node);
  const auto [kernel, daemon] = udev_.descriptors();
  for (Time next_retry = clock_.now() + retry_every; !ending_;) {
    publish();
    pollfd wait[] = {{told_.get(), POLLIN, 0}, {kernel, POLLIN, 0}, {daemon, POLLIN, 0}};
    ::poll(wait, std::size(wait), timeout_ms());
    if (wait[0].revents != 0) told_.clear();
    take_back();
    if (wait[1].revents != 0 || wait[2].revents != 0)
      while (const auto news = udev_.news()) {
        // What went before it came has to have left its place: the same device takes it again.
        take_back();
        hear(*news);
      }
    take_wired();
    begin_recording();
    give_signs();
    give_grabs();
    if (clock_.now() >= next_retry || a_place_is_free_) {
      next_retry = clock_.now() + retry_every;
      retry();
    }
  }
}

int Opener::timeout_ms() const {
  bool soon = changed_ || now_.seen.recording;
  for (std::size_t s = 0; s < seats_.size(); ++s) soon = soon || sitting_[s].light_until.has_value() || grab_is_due(s);
  return soon ? soon_ms : wires_ ? wires_ms : idle_ms;
}

// Plugging.

void Opener::hear(const UdevNews& news) {
  if (!news.removed) return consider(news.node);
  waiting_.erase(news.node.syspath);
  for (std::size_t s = 0; s < seats_.size(); ++s)
    if (sitting_[s].device && sitting_[s].found.syspath == news.node.syspath && !sitting_[s].device->node->alive())
      let_go(s);
}

/// A node that may be a handset: new, announced twice, or waiting for its permission or a place.
void Opener::consider(const UdevNode& found) {
  if (found.node.empty()) return;
  for (std::size_t s = 0; s < seats_.size(); ++s) {
    if (!sitting_[s].device || sitting_[s].found.syspath != found.syspath) continue;
    if (sitting_[s].device->node->alive()) return;
    // Another one under the name of one that has gone: its turn comes when the reader has given that one back.
    let_go(s);
    return wait(found, "");
  }
  const DeviceKind kind = kind_of(found.device);
  if (kind == DeviceKind::other || kind == DeviceKind::pointer) return;
  auto node = std::make_shared<EvdevNode>();
  const std::int64_t opened_us = clock_.since_boot_ns(clock_.now()) / 1000;
  if (const std::error_code error = node->open(found.node)) {
    if (error == std::errc::permission_denied) return wait(found, "no permission; `gyrax handsets` says what to do");
    if (error == std::errc::no_such_file_or_directory || error == std::errc::no_such_device) return forget(found);
    return wait(found, error.message());
  }
  Device device = node->describe();
  const Seats::Placed placed = seats_.place(device);
  if (!placed.seat) {
    errands_.post([closed = std::move(node)] {});
    return wait(found, placed.why, true);
  }
  device.named = seats_.wish(*placed.seat).named;
  forget(found);
  while (now_.seen.seats.size() < seats_.size()) add_seat();
  now_.seen.seats[*placed.seat].warning = placed.warning;
  sit(*placed.seat, std::move(node), {found.syspath, found.node, found.parent, device}, clock_.at(opened_us * 1000));
}

/// Handsets on wires: those that were found, and those that fell silent.
void Opener::take_wired() {
  if (!wires_) return;
  for (std::size_t s = 0; s < seats_.size(); ++s)
    if (sitting_[s].device && sitting_[s].wire && !sitting_[s].device->node->alive()) let_go(s);
  if (std::vector<std::string> notes = wires_->notes(); notes != wire_notes_) {
    wire_notes_ = std::move(notes);
    changed_ = true;
  }
  while (auto found = wires_->take()) {
    changed_ = true;
    Device device = found->node->describe();
    const Seats::Placed placed = seats_.place(device);
    if (!placed.seat) {
      unplaced_[found->which] = fmt::format("{} ({}): {}", device.name, device.port, placed.why);
      errands_.post([closed = std::move(found->node)] {});
      wires_->again(found->which);
      continue;
    }
    unplaced_.erase(found->which);
    while (now_.seen.seats.size() < seats_.size()) add_seat();
    now_.seen.seats[*placed.seat].warning = placed.warning;
    sitting_[*placed.seat].wire = found->which;
    sit(*placed.seat, std::move(found->node), {device.port, device.port, {}, device}, clock_.now());
  }
}

void Opener::wait(const UdevNode& found, const std::string& why, bool for_a_place) {
  changed_ = changed_ || waiting_.insert_or_assign(found.syspath, Waiting{found, why, for_a_place}).second;
}

void Opener::retry() {
  std::vector<UdevNode> again;
  for (const auto& [syspath, one] : waiting_)
    if (!one.for_a_place || a_place_is_free_) again.push_back(one.node);
  a_place_is_free_ = false;
  for (const UdevNode& node : again) consider(node);
}

void Opener::add_seat() {
  SeenHandset seen;
  seen.name = seats_.wish(now_.seen.seats.size()).handset;
  now_.seen.seats.push_back(std::move(seen));
}

void Opener::sit(std::size_t seat, std::shared_ptr<HandsetNode> node, const UdevNode& found, Time at) {
  const Device& device = found.device;
  Seat& s = sitting_[seat];
  SeenHandset& seen = now_.seen.seats[seat];
  std::set<ControlId> held;
  for (const std::uint16_t code : node->keys_down())
    if (const ControlName* control = control_on(device, EV_KEY, code)) held.insert(control->id);
  s.device = std::make_unique<Sitting>(seat, std::move(node), device);
  s.found = found;
  // Where the kernel has placeholders, a wire has readings.
  if (s.wire && s.device->node->state({}, s.device->state)) at = clock_.at(s.device->state.back().time_us * 1000);
  s.types = !s.wire && kind_of(device) == DeviceKind::keypad;
  seen.node = found.node;
  seen.device = device;
  seen.present = true;
  seen.controls = calibrated(seats_.wish(seat), device);
  introduce(seat, device);
  std::vector<Reading> readings;
  s.device->decoder.plugged(at, readings, held);
  for (const Reading& reading : readings) {
    HandsetItem item;
    item.reading = reading;
    s.device->first.push_back(item);
    s.device->watched->note(reading);
  }
  now_.watched[seat] = s.device->watched;
  recorder_.plugged(seat, seen, at);
  changed_ = true;
  reader_.hand_over({seat, s.device.get()});
}

/// Tells the reading side which device comes, and the ends of its controls.
void Opener::introduce(std::size_t seat, const Device& device) {
  std::vector<HandsetItem>& first = sitting_[seat].device->first;
  HandsetItem item;
  item.kind = HandsetItem::Kind::seated;
  item.reading.handset = id(seat);
  {
    const std::lock_guard held(devices_lock_);
    item.number = devices_.size();
    devices_.push_back(device);
  }
  first.push_back(item);
  item.kind = HandsetItem::Kind::calibrate;
  for (const SeatControl& wished : seats_.wish(seat).controls) {
    if (wished.slot == no<SlotId> || wished.calibration.kind() == ControlKind::key ||
        wished.calibration.kind() == ControlKind::counts)
      continue;
    item.slot = wished.slot;
    for (const SeenControl& one : now_.seen.seats[seat].controls)
      if (one.control == wished.control) item.calibration = one.calibration;
    first.push_back(item);
  }
}

// What comes back from the reader.

void Opener::let_go(std::size_t seat) {
  if (!std::exchange(sitting_[seat].let_go, true)) reader_.hand_over({seat, nullptr});
}

void Opener::take_back() {
  for (GivenBack one; reader_.take_back(one);) {
    if (one.why == GivenBack::Why::lost) {
      ask_state(one.seat);
      continue;
    }
    const UdevNode found = sitting_[one.seat].found;
    const bool there = !sitting_[one.seat].wire && sitting_[one.seat].device->node->alive();
    leave(one.seat);
    // It is in its socket and cannot be read from: perhaps a fresh start helps.
    if (there) wait(found, "reading from it failed; it is tried again");
  }
}

/// After a drop: the device goes back to the reader with its whole state.
void Opener::ask_state(std::size_t seat) {
  Sitting& s = *sitting_[seat].device;
  sitting_[seat].let_go = false;
  s.first.clear();
  s.state.clear();
  if (!s.node->state(s.reported, s.state)) s.state.clear();  // the reader will see that it has gone
  reader_.hand_over({seat, &s});
}

void Opener::leave(std::size_t seat) {
  Seat& s = sitting_[seat];
  errands_.post([closed = std::move(s.device->node)] {});
  if (s.wire) wires_->again(*s.wire);
  s = Seat();
  now_.watched[seat] = nullptr;
  now_.seen.seats[seat].present = now_.seen.seats[seat].grabbed = false;
  seats_.vacate(seat);
  a_place_is_free_ = true;
  recorder_.unplugged(seat, clock_.now());
  changed_ = true;
}

// Signs and grabs.

void Opener::give_signs() {
  for (std::pair<HandsetId, Sign> one; signs_.pop(one);) {
    const std::size_t seat = index(one.first);
    if (seat >= seats_.size() || !sitting_[seat].device || !seats_.wish(seat).signs) continue;
    if (errands_.waiting() > most_errands) continue;
    Seat& s = sitting_[seat];
    const Shake shake = shake_of(one.second);
    errands_.post([node = s.device->node, shake, dark = !s.light_until] {
      node->rumble(shake.strength, shake.ms);
      if (dark) node->light(true);
    });
    s.light_until = clock_.now() + std::chrono::milliseconds(shake.ms);
  }
  for (Seat& s : sitting_) {
    if (!s.light_until || clock_.now() < *s.light_until) continue;
    errands_.post([node = s.device->node] { node->light(false); });
    s.light_until.reset();
  }
}

bool Opener::grab_is_due(std::size_t seat) const {
  return sitting_[seat].device && sitting_[seat].types && now_.seen.seats[seat].grabbed != grab_wanted_;
}

void Opener::give_grabs() {
  for (std::size_t seat = 0; seat < seats_.size(); ++seat) {
    // With a key down its release would go to one side alone, and the other would repeat it for ever.
    if (!grab_is_due(seat) || sitting_[seat].device->watched->keys_down != 0) continue;
    const bool mine = grab_wanted_;
    if (!sitting_[seat].device->node->grab(mine)) continue;
    now_.seen.seats[seat].grabbed = mine;
    changed_ = true;
  }
}

// For the viewer.

void Opener::begin_recording() {
  const bool recording = recorder_.recording();
  changed_ = changed_ || now_.seen.recording != recording;
  now_.seen.recording = recording;
  recorder_.collect();
  if (!recorder_.begins()) return;
  // Since before it began.
  for (std::size_t seat = 0; seat < seats_.size(); ++seat) {
    if (!sitting_[seat].device) continue;
    SeenHandset seen = now_.seen.seats[seat];
    sitting_[seat].device->watched->show(seen);
    recorder_.plugged(seat, seen, Time{});
  }
}

void Opener::publish() {
  const Time now = clock_.now();
  if (!changed_ || now - now_.seen.at < publish_every) return;
  changed_ = false;
  now_.seen.at = now;
  now_.seen.notes.clear();
  for (const auto& [syspath, one] : waiting_)
    if (!one.why.empty())
      now_.seen.notes.push_back(fmt::format("{} ({}): {}", one.node.device.name, one.node.node, one.why));
  for (const auto& [which, why] : unplaced_) now_.seen.notes.push_back(why);
  for (const std::string& note : wire_notes_) now_.seen.notes.push_back(note);
  published_.draft() = now_;
  published_.publish();
}

}  // namespace gyrax
