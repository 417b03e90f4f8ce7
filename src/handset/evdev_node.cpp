#include "evdev_node.hpp"

#include <fcntl.h>
#include <sys/ioctl.h>
#include <unistd.h>
#include <array>
#include <cerrno>
#include <ctime>
#include <utility>

namespace gyrax {
namespace {

constexpr unsigned most_strength = 0xffff;

std::error_code last_error() { return {errno, std::generic_category()}; }

std::int64_t boot_us() {
  timespec now{};
  ::clock_gettime(CLOCK_BOOTTIME, &now);
  return std::int64_t{now.tv_sec} * 1'000'000 + now.tv_nsec / 1000;
}

struct Put {
  std::uint16_t type, code;
  int value;
};

/// Writes one event and the end of its frame. Nobody waits for what a light does.
void put(int fd, const Put& what) {
  input_event events[2] = {};
  events[0].type = what.type;
  events[0].code = what.code;
  events[0].value = what.value;
  events[1].type = EV_SYN;
  events[1].code = SYN_REPORT;
  [[maybe_unused]] const ssize_t written = ::write(fd, events, sizeof events);
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
  std::swap(rumbles_, other.rumbles_);
  std::swap(led_was_on_, other.led_was_on_);
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
  fresh.rumbles_ = libevdev_has_event_code(made, EV_FF, FF_RUMBLE) != 0;
  *this = std::move(fresh);
  return {};
}

bool EvdevNode::alive() const {
  int version = 0;
  // Any other error says nothing about the device.
  return fd_ >= 0 && (::ioctl(fd_, EVIOCGVERSION, &version) >= 0 || errno != ENODEV);
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

EvdevNode::Got EvdevNode::read(std::span<input_event> into, std::size_t& count) {
  const ssize_t got = ::read(fd_, into.data(), into.size_bytes());
  count = got < 0 ? 0 : static_cast<std::size_t>(got) / sizeof(input_event);
  if (got < 0 && errno != EAGAIN && errno != EINTR) return Got::gone;
  return count > 0 ? Got::events : Got::nothing;
}

bool EvdevNode::state(const AbsoluteBits& reported, std::vector<InputEvent>& out) {
  // Taken before: whatever is no part of the state has a later stamp.
  const std::int64_t now = boot_us();
  libevdev* const d = device_.get();
  input_event event{};
  int got = libevdev_next_event(d, LIBEVDEV_READ_FLAG_FORCE_SYNC, &event);
  // libevdev asks the kernel, and tells the differences to what it knew; what is wanted here is all of it.
  while (got == LIBEVDEV_READ_STATUS_SYNC) got = libevdev_next_event(d, LIBEVDEV_READ_FLAG_SYNC, &event);
  if (got < 0 && got != -EAGAIN && got != -EINTR) return false;
  each_code(d, EV_KEY, KEY_CNT, [&](std::uint16_t code) {
    out.push_back({now, EV_KEY, code, libevdev_get_event_value(d, EV_KEY, code)});
  });
  each_code(d, EV_ABS, ABS_CNT, [&](std::uint16_t code) {
    const int value = libevdev_get_event_value(d, EV_ABS, code);
    const bool hat = code == ABS_HAT0X || code == ABS_HAT0Y;
    if (reported.test(code) || hat || placeholders_.at(code) != value) out.push_back({now, EV_ABS, code, value});
  });
  out.push_back({now, EV_SYN, SYN_REPORT, 0});
  return true;
}

bool EvdevNode::grab(bool mine) const {
  // The kernel takes the number itself, not what it points to.
  return ::ioctl(fd_, EVIOCGRAB, reinterpret_cast<void*>(mine ? 1L : 0L)) == 0;
}

void EvdevNode::rumble(double strength, int ms) {
  if (!rumbles_) return;
  ff_effect effect{};
  effect.type = FF_RUMBLE;
  effect.id = static_cast<std::int16_t>(effect_);
  effect.u.rumble.strong_magnitude = static_cast<std::uint16_t>(strength * most_strength);
  effect.u.rumble.weak_magnitude = effect.u.rumble.strong_magnitude;
  effect.replay.length = static_cast<std::uint16_t>(ms);
  if (::ioctl(fd_, EVIOCSFF, &effect) < 0) return;
  effect_ = effect.id;
  put(fd_, {EV_FF, static_cast<std::uint16_t>(effect_), 1});
}

void EvdevNode::light(bool on) {
  if (led_ < 0) return;
  std::array<unsigned char, (LED_CNT + 7) / 8> lit{};
  const auto led = static_cast<unsigned>(led_);
  if (on && ::ioctl(fd_, EVIOCGLED(lit.size()), lit.data()) >= 0) led_was_on_ = (lit[led / 8] >> led % 8 & 1u) != 0;
  put(fd_, {EV_LED, static_cast<std::uint16_t>(led_), on != led_was_on_ ? 1 : 0});
}

}  // namespace gyrax
