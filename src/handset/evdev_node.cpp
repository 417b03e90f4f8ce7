#include "evdev_node.hpp"

#include <fcntl.h>
#include <linux/input.h>
#include <sys/ioctl.h>
#include <unistd.h>
#include <cerrno>
#include <ctime>
#include <utility>

namespace gyrax {
namespace {

constexpr unsigned most_strength = 0xffff;

std::error_code last_error() { return {errno, std::generic_category()}; }

InputEvent copied(const input_event& event) {
  return {std::int64_t{event.input_event_sec} * 1'000'000 + event.input_event_usec, event.type, event.code,
          event.value};
}

std::int64_t boot_us() {
  timespec now{};
  ::clock_gettime(CLOCK_BOOTTIME, &now);
  return std::int64_t{now.tv_sec} * 1'000'000 + now.tv_nsec / 1000;
}

template <class Take>
void each_code(const libevdev* device, unsigned type, int count, Take take) {
  if (libevdev_has_event_type(device, type) == 0) return;
  for (int code = 0; code < count; ++code)
    if (libevdev_has_event_code(device, type, static_cast<unsigned>(code)) != 0) take(static_cast<std::uint16_t>(code));
}

std::string text(const char* value) { return value != nullptr ? value : ""; }

}  // namespace

EvdevNode::~EvdevNode() {
  device_.reset();
  if (fd_ >= 0) ::close(fd_);
}

EvdevNode& EvdevNode::operator=(EvdevNode&& other) noexcept {
  std::swap(fd_, other.fd_);
  std::swap(device_, other.device_);
  std::swap(placeholders_, other.placeholders_);
  std::swap(effect_, other.effect_);
  std::swap(led_, other.led_);
  std::swap(led_was_, other.led_was_);
  return *this;
}

std::error_code EvdevNode::open(const std::string& path) {
  EvdevNode fresh;
  // Writing is for lights and rumble; reading is enough to live.
  fresh.fd_ = ::open(path.c_str(), O_RDWR | O_NONBLOCK | O_CLOEXEC);
  if (fresh.fd_ < 0 && (errno == EACCES || errno == EPERM || errno == EROFS))
    fresh.fd_ = ::open(path.c_str(), O_RDONLY | O_NONBLOCK | O_CLOEXEC);
  if (fresh.fd_ < 0) return last_error();
  libevdev* made = nullptr;
  if (const int error = libevdev_new_from_fd(fresh.fd_, &made); error != 0) return {-error, std::generic_category()};
  fresh.device_.reset(made);
  if (const int error = libevdev_set_clock_id(made, CLOCK_BOOTTIME); error != 0)
    return {-error, std::generic_category()};
  each_code(made, EV_ABS, ABS_CNT,
            [&](std::uint16_t code) { fresh.placeholders_[code] = libevdev_get_event_value(made, EV_ABS, code); });
  each_code(made, EV_LED, LED_CNT, [&](std::uint16_t code) { fresh.led_ = fresh.led_ < 0 ? code : fresh.led_; });
  *this = std::move(fresh);
  return {};
}

bool EvdevNode::alive() const {
  int version = 0;
  // Any other error says nothing about the device.
  return fd_ >= 0 && (::ioctl(fd_, EVIOCGVERSION, &version) >= 0 || errno != ENODEV);
}

EvdevNode::Got EvdevNode::read_over(std::vector<InputEvent>& out) {
  // Taken before: what is read from now on and is not part of the state has a later stamp.
  const std::int64_t now = boot_us();
  std::vector<InputEvent> passed;
  std::int32_t lost = 0;
  for (Got got = Got::events; got == Got::events; passed.clear()) {
    got = read(passed);
    if (got == Got::gone) return got;
    for (const InputEvent& event : passed)
      lost += event.type == EV_KEY || event.type == EV_ABS || event.type == EV_REL ? 1 : 0;
  }
  resync(out, now, lost);
  return Got::events;
}

Device EvdevNode::describe() const {
  const libevdev* d = device_.get();
  Device made;
  made.name = text(libevdev_get_name(d));
  made.bus = static_cast<std::uint16_t>(libevdev_get_id_bustype(d));
  made.vendor = static_cast<std::uint16_t>(libevdev_get_id_vendor(d));
  made.product = static_cast<std::uint16_t>(libevdev_get_id_product(d));
  made.version = static_cast<std::uint16_t>(libevdev_get_id_version(d));
  made.unique = text(libevdev_get_uniq(d));
  made.port = text(libevdev_get_phys(d));
  for (unsigned p = 0; p < INPUT_PROP_CNT; ++p)
    if (libevdev_has_property(d, p) != 0) made.properties.insert(static_cast<std::uint16_t>(p));
  each_code(d, EV_KEY, KEY_CNT, [&](std::uint16_t code) { made.keys.insert(code); });
  each_code(d, EV_REL, REL_CNT, [&](std::uint16_t code) { made.relative.insert(code); });
  each_code(d, EV_ABS, ABS_CNT, [&](std::uint16_t code) {
    const input_absinfo* a = libevdev_get_abs_info(d, code);
    made.absolute[code] = {a->minimum, a->maximum, a->fuzz, a->flat, a->resolution};
  });
  each_code(d, EV_LED, LED_CNT, [&](std::uint16_t code) { made.other[EV_LED].insert(code); });
  each_code(d, EV_FF, FF_CNT, [&](std::uint16_t code) { made.other[EV_FF].insert(code); });
  return made;
}

std::vector<std::uint16_t> EvdevNode::keys_down() const {
  std::vector<std::uint16_t> down;
  each_code(device_.get(), EV_KEY, KEY_CNT, [&](std::uint16_t code) {
    if (libevdev_get_event_value(device_.get(), EV_KEY, code) != 0) down.push_back(code);
  });
  return down;
}

bool EvdevNode::any_key_down() const { return !keys_down().empty(); }

void EvdevNode::note(const input_event& event) {
  if (event.type == EV_ABS) placeholders_.erase(event.code);
}

void EvdevNode::resync(std::vector<InputEvent>& out, std::int64_t now, std::int32_t lost) {
  out.push_back({now, EV_SYN, SYN_DROPPED, lost});
  out.push_back({now, EV_SYN, SYN_REPORT, 0});
  const libevdev* d = device_.get();
  each_code(d, EV_KEY, KEY_CNT, [&](std::uint16_t code) {
    out.push_back({now, EV_KEY, code, libevdev_get_event_value(d, EV_KEY, code)});
  });
  each_code(d, EV_ABS, ABS_CNT, [&](std::uint16_t code) {
    const int value = libevdev_get_event_value(d, EV_ABS, code);
    const auto placeholder = placeholders_.find(code);
    const bool hat = code == ABS_HAT0X || code == ABS_HAT0Y;
    if (placeholder != placeholders_.end() && placeholder->second == value && !hat) return;
    placeholders_.erase(code);
    out.push_back({now, EV_ABS, code, value});
  });
  out.push_back({now, EV_SYN, SYN_REPORT, 0});
}

EvdevNode::Got EvdevNode::read(std::vector<InputEvent>& out, std::size_t most) {
  const std::size_t before = out.size();
  input_event event{};
  while (out.size() - before < most) {
    const int got = libevdev_next_event(device_.get(), LIBEVDEV_READ_FLAG_NORMAL, &event);
    if (got == LIBEVDEV_READ_STATUS_SYNC) {
      // As of when the kernel dropped: whatever comes after this has a later stamp.
      const std::int64_t dropped_at = copied(event).time_us;
      // libevdev now asks the kernel for the state; the differences that it tells are part of that.
      while (libevdev_next_event(device_.get(), LIBEVDEV_READ_FLAG_SYNC, &event) == LIBEVDEV_READ_STATUS_SYNC) {
      }
      resync(out, dropped_at, 0);
      continue;
    }
    if (got == -EAGAIN || got == -EINTR) break;
    if (got < 0) return Got::gone;
    note(event);
    out.push_back(copied(event));
  }
  return out.size() > before ? Got::events : Got::nothing;
}

bool EvdevNode::grab(bool mine) { return libevdev_grab(device_.get(), mine ? LIBEVDEV_GRAB : LIBEVDEV_UNGRAB) == 0; }

void EvdevNode::rumble(double strength, int ms) {
  if (libevdev_has_event_code(device_.get(), EV_FF, FF_RUMBLE) == 0) return;
  ff_effect effect{};
  effect.type = FF_RUMBLE;
  effect.id = static_cast<std::int16_t>(effect_);
  effect.u.rumble.strong_magnitude = static_cast<std::uint16_t>(strength * most_strength);
  effect.u.rumble.weak_magnitude = effect.u.rumble.strong_magnitude;
  effect.replay.length = static_cast<std::uint16_t>(ms);
  if (::ioctl(fd_, EVIOCSFF, &effect) < 0) return;
  effect_ = effect.id;
  input_event play{};
  play.type = EV_FF;
  play.code = static_cast<std::uint16_t>(effect_);
  play.value = 1;
  [[maybe_unused]] const ssize_t written = ::write(fd_, &play, sizeof play);
}

void EvdevNode::light(bool on) {
  if (led_ < 0) return;
  const auto code = static_cast<unsigned>(led_);
  if (on) led_was_ = libevdev_get_event_value(device_.get(), EV_LED, code);
  const bool shine = on ? led_was_ == 0 : led_was_ != 0;
  libevdev_kernel_set_led_value(device_.get(), code, shine ? LIBEVDEV_LED_ON : LIBEVDEV_LED_OFF);
}

}  // namespace gyrax
