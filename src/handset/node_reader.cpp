#include "node_reader.hpp"

#include <sys/epoll.h>
#include <array>

namespace gyrax {
namespace {

constexpr std::size_t usual_frame = 1024;  // readings: more than every key of a keyboard at once

}  // namespace

NodeReader::NodeReader(const BootClock& clock, Recorder& recorder, EventDescriptor& given_back)
    : clock_(clock),
      recorder_(recorder),
      told_(given_back),
      all_(::epoll_create1(EPOLL_CLOEXEC)),
      // A seat's device is handed over and let go, and given back, once before the next one takes the seat.
      handed_(2 * max_handsets),
      given_back_(2 * max_handsets) {
  if (all_ < 0) throw std::system_error(errno, std::generic_category(), "cannot wait for handsets");
  epoll_event wanted{.events = EPOLLIN, .data = {.ptr = nullptr}};
  ::epoll_ctl(all_, EPOLL_CTL_ADD, handed_over_.get(), &wanted);
  items_.reserve(most_nodes * most_events + usual_frame);
  readings_.reserve(usual_frame);
}

NodeReader::~NodeReader() { ::close(all_); }

void NodeReader::hand_over(const Handed& one) noexcept {
  handed_.push(one);
  handed_over_.set();
}

bool NodeReader::next(HandsetItem& item) noexcept {
  if (next_ == items_.size()) {
    items_.clear();
    next_ = 0;
    // Whoever takes until there is nothing left gets one turn, however fast a device sends.
    if (turn_is_over_) return turn_is_over_ = false;
    gather();
    if (items_.empty()) return false;
    turn_is_over_ = true;
  }
  item = items_[next_++];
  return true;
}

void NodeReader::gather() noexcept {
  std::array<epoll_event, most_nodes> ready;
  const int count = ::epoll_wait(all_, ready.data(), static_cast<int>(ready.size()), 0);
  bool handed = false;
  for (int i = 0; i < count; ++i) {
    const epoll_event& one = ready[static_cast<std::size_t>(i)];
    if (one.data.ptr == nullptr)
      handed = true;
    else
      read(*static_cast<Sitting*>(one.data.ptr), (one.events & ~EPOLLIN) != 0);
  }
  // After the nodes: what is let go here may be one of them.
  if (handed) take_handed();
}

void NodeReader::take_handed() noexcept {
  handed_over_.clear();
  for (Handed one; handed_.pop(one);) {
    if (one.sitting != nullptr)
      take(*one.sitting);
    else if (by_seat_[one.seat] != nullptr)
      give_back(*by_seat_[one.seat], GivenBack::Why::gone);
  }
}

void NodeReader::take(Sitting& sitting) noexcept {
  by_seat_[sitting.seat] = &sitting;
  for (const HandsetItem& item : sitting.first) items_.push_back(item);
  const Time now = clock_.now();
  for (const InputEvent& event : sitting.state) decode(sitting, event, now);
  tell(sitting);
  epoll_event wanted{.events = EPOLLIN, .data = {.ptr = &sitting}};
  if (::epoll_ctl(all_, EPOLL_CTL_ADD, sitting.node->descriptor(), &wanted) != 0)
    give_back(sitting, GivenBack::Why::gone);
}

void NodeReader::read(Sitting& sitting, bool hung_up) noexcept {
  std::array<input_event, most_events> events;
  std::size_t count = 0;
  const HandsetNode::Got got = sitting.node->read(events, count);
  const Time arrival = clock_.now();
  for (std::size_t i = 0; i < count; ++i) {
    const InputEvent event{std::int64_t{events[i].input_event_sec} * 1'000'000 + events[i].input_event_usec,
                           events[i].type, events[i].code, events[i].value};
    decode(sitting, event, arrival);
    if (event.type != EV_SYN || event.code != SYN_DROPPED) continue;
    // A gap at once: what was lost may be a release. What follows is part of the state that is asked for now.
    decode(sitting, {event.time_us, EV_SYN, SYN_REPORT, 0}, arrival);
    tell(sitting);
    return give_back(sitting, GivenBack::Why::lost);
  }
  tell(sitting);
  if (got == HandsetNode::Got::gone || (got == HandsetNode::Got::nothing && hung_up))
    give_back(sitting, GivenBack::Why::gone);
}

void NodeReader::decode(Sitting& sitting, const InputEvent& event, Time arrival) noexcept {
  sitting.decoder.event(event, clock_.at(event.time_us * 1000), arrival, readings_);
  recorder_.event(sitting.seat, event);
  if (event.type == EV_SYN && event.code == SYN_REPORT) Watched::add(sitting.watched->reports, 1);
  if (event.type == EV_ABS && event.code < sitting.reported.size()) sitting.reported.set(event.code);
  if (event.type == EV_KEY && event.code < sitting.down.size()) {
    sitting.down.set(event.code, event.value != 0);
    sitting.watched->keys_down.store(static_cast<int>(sitting.down.count()), std::memory_order_relaxed);
  }
}

/// What was decoded becomes items, and what others may see.
void NodeReader::tell(Sitting& sitting) noexcept {
  HandsetItem item;
  for (const Reading& reading : readings_) {
    item.reading = reading;
    items_.push_back(item);
    sitting.watched->note(reading);
  }
  readings_.clear();
  sitting.watched->gaps.store(sitting.decoder.gaps(), std::memory_order_relaxed);
}

void NodeReader::give_back(Sitting& sitting, GivenBack::Why why) noexcept {
  ::epoll_ctl(all_, EPOLL_CTL_DEL, sitting.node->descriptor(), nullptr);
  if (why == GivenBack::Why::gone) {
    const Time now = clock_.now();
    sitting.decoder.unplugged(now, readings_);
    tell(sitting);
    recorder_.gone(sitting.seat, now);
  }
  by_seat_[sitting.seat] = nullptr;
  given_back_.push({sitting.seat, why});
  told_.set();
}

}  // namespace gyrax
