#include "mock_device.hpp"

#include <fmt/format.h>
#include <linux/input.h>

#include <fcntl.h>
#include <sys/ioctl.h>
#include <unistd.h>
#include <algorithm>
#include <cerrno>
#include <cstring>
#include <ctime>
#include <filesystem>
#include <stdexcept>
#include <utility>

namespace gyrax::test {
namespace {

using Bits = std::vector<std::uint8_t>;

constexpr int most_waiting = 120;  // events of 24 bytes in a buffer of 4096

template <class Codes>
Bits bits(const Codes& codes, std::size_t count) {
  Bits made((count + 63) / 64 * 8);
  for (const auto code : codes) made[code / 8u] |= static_cast<std::uint8_t>(1u << (code % 8u));
  return made;
}

std::set<std::uint16_t> absolutes(const Device& d) {
  std::set<std::uint16_t> codes;
  for (const auto& [code, range] : d.absolute) codes.insert(code);
  return codes;
}

std::set<std::uint16_t> of_type(const Device& d, std::uint16_t type) {
  const auto at = d.other.find(type);
  return at == d.other.end() ? std::set<std::uint16_t>{} : at->second;
}

std::set<std::uint16_t> types(const Device& d) {
  std::set<std::uint16_t> made{EV_SYN};
  if (!d.keys.empty()) made.insert(EV_KEY);
  if (!d.relative.empty()) made.insert(EV_REL);
  if (!d.absolute.empty()) made.insert(EV_ABS);
  for (const auto& [type, codes] : d.other) made.insert(type);
  return made;
}

/// sysfs's form of a mask: words, the highest first.
std::string mask(const Bits& bytes) {
  std::string text;
  for (std::size_t w = bytes.size() / 8; w-- > 0;) {
    std::uint64_t word = 0;
    std::memcpy(&word, bytes.data() + 8 * w, 8);
    if (word == 0 && text.empty() && w > 0) continue;
    fmt::format_to(std::back_inserter(text), "{}{:x}", text.empty() ? "" : " ", word);
  }
  return text;
}

gboolean on_ioctl(UMockdevIoctlBase*, UMockdevIoctlClient* client, gpointer self) {
  return static_cast<MockDriver*>(self)->answer(client);
}

gboolean on_read(UMockdevIoctlBase*, UMockdevIoctlClient* client, gpointer self) {
  auto& mock = *static_cast<MockDriver*>(self);
  if (!mock.gone) {
    const auto room = static_cast<int>(static_cast<std::size_t>(umockdev_ioctl_client_get_arg(client)->data_len) /
                                       sizeof(input_event));
    mock.waiting -= std::min<int>(mock.waiting, room);
    return FALSE;  // the pseudo-terminal's own read
  }
  umockdev_ioctl_client_complete(client, -1, ENODEV);
  return TRUE;
}

gboolean on_write(UMockdevIoctlBase*, UMockdevIoctlClient* client, gpointer self) {
  UMockdevIoctlData* data = umockdev_ioctl_client_get_arg(client);
  ++static_cast<MockDriver*>(self)->writes;
  umockdev_ioctl_client_complete(client, data->data_len, 0);
  return TRUE;
}

}  // namespace

MockDriver::MockDriver(Device described) : device(std::move(described)), keys_down(KEY_CNT), values(ABS_CNT) {}

MockDevice::MockDevice(Testbed& bed, int number, Device device, std::string carrier)
    : bed_(bed),
      number_(number),
      carrier_(std::move(carrier)),
      driver_(std::make_shared<MockDriver>(std::move(device))) {
  bed_.keep(driver_);
  if (carrier_.empty()) carrier_ = fmt::format("1-{}", number_);
}

MockDevice::~MockDevice() {
  if (!driver_->gone) unplug();
  if (base_ != nullptr) g_object_unref(base_);
}

std::string MockDevice::path() const { return fmt::format("/dev/input/event{}", number_); }

std::string MockDevice::syspath() const {
  return fmt::format("/devices/pci0000:00/0000:00:14.0/usb1/{0}/{0}:1.{1}/input/input{1}", carrier_, number_);
}

std::string MockDevice::describe() const {
  const Device& d = driver_->device;
  std::string text = fmt::format(
      "P: {0}/event{1}\nN: input/event{1}\nE: DEVNAME=/dev/input/event{1}\nE: MAJOR=13\nE: MINOR={2}\nE: "
      "SUBSYSTEM=input\nA: "
      "dev=13:{2}\\n\n\n",
      syspath(), number_, 64 + number_);
  text += fmt::format("P: {}\nE: SUBSYSTEM=input\n", syspath());
  const auto attribute = [&](const char* name, const std::string& value) {
    text += fmt::format("A: {}={}\\n\n", name, value);
  };
  attribute("name", d.name);
  attribute("phys", d.port);
  attribute("uniq", d.unique);
  attribute("properties", mask(bits(d.properties, INPUT_PROP_CNT)));
  attribute("id/bustype", fmt::format("{:04x}", d.bus));
  attribute("id/vendor", fmt::format("{:04x}", d.vendor));
  attribute("id/product", fmt::format("{:04x}", d.product));
  attribute("id/version", fmt::format("{:04x}", d.version));
  attribute("capabilities/ev", mask(bits(types(d), EV_CNT)));
  attribute("capabilities/key", mask(bits(d.keys, KEY_CNT)));
  attribute("capabilities/rel", mask(bits(d.relative, REL_CNT)));
  attribute("capabilities/abs", mask(bits(absolutes(d), ABS_CNT)));
  attribute("capabilities/led", mask(bits(of_type(d, EV_LED), LED_CNT)));
  attribute("capabilities/ff", mask(bits(of_type(d, EV_FF), FF_CNT)));
  if (!bed_.brings(carrier_)) return text;
  const std::string carrier = fmt::format("/devices/pci0000:00/0000:00:14.0/usb1/{}", carrier_);
  return text + fmt::format("\nP: {}\nE: SUBSYSTEM=usb\nE: DEVTYPE=usb_device\nE: DEVNAME=/dev/bus/usb/001/{:03}\n\n",
                            carrier, number_);
}

gboolean MockDriver::answer(UMockdevIoctlClient* client) {
  const std::lock_guard held(lock);
  const unsigned long request = umockdev_ioctl_client_get_request(client), nr = _IOC_NR(request),
                      size = _IOC_SIZE(request);
  const auto complete = [&](long result, int error) {
    umockdev_ioctl_client_complete(client, result, error);
    return TRUE;
  };
  if (gone) return complete(-1, ENODEV);
  if (_IOC_TYPE(request) != 'E') return complete(-1, ENOTTY);
  if (nr == _IOC_NR(EVIOCGRAB)) {
    // Its argument is the number itself.
    const auto* argument = umockdev_ioctl_client_get_arg(client);
    void* value = nullptr;
    std::memcpy(&value, argument->data, sizeof value);
    ++(value != nullptr ? grabs : ungrabs);
    return complete(0, 0);
  }
  if (nr == _IOC_NR(EVIOCSFF)) {
    ++effects;
    return complete(0, 0);
  }
  if (_IOC_DIR(request) == _IOC_WRITE) return complete(0, 0);

  Bits answer;
  const auto text = [&](const std::string& value) { answer.assign(value.c_str(), value.c_str() + value.size() + 1); };
  const auto raw = [&](const auto& value) {
    answer.resize(sizeof value);
    std::memcpy(answer.data(), &value, sizeof value);
  };
  if (nr == _IOC_NR(EVIOCGVERSION)) {
    raw(int{EV_VERSION});
  } else if (nr == _IOC_NR(EVIOCGID)) {
    raw(input_id{device.bus, device.vendor, device.product, device.version});
  } else if (nr == _IOC_NR(EVIOCGNAME(0))) {
    text(device.name);
  } else if (nr == _IOC_NR(EVIOCGPHYS(0))) {
    if (device.port.empty()) return complete(-1, ENOENT);
    text(device.port);
  } else if (nr == _IOC_NR(EVIOCGUNIQ(0))) {
    if (device.unique.empty()) return complete(-1, ENOENT);
    text(device.unique);
  } else if (nr == _IOC_NR(EVIOCGPROP(0))) {
    answer = bits(device.properties, INPUT_PROP_CNT);
  } else if (nr == _IOC_NR(EVIOCGKEY(0))) {
    std::set<unsigned> down;
    for (unsigned code = 0; code < keys_down.size(); ++code)
      if (keys_down[code] != 0) down.insert(code);
    answer = bits(down, KEY_CNT);
  } else if (nr == _IOC_NR(EVIOCGBIT(0, 0))) {
    answer = bits(types(device), EV_CNT);
  } else if (nr == _IOC_NR(EVIOCGBIT(EV_KEY, 0))) {
    answer = bits(device.keys, KEY_CNT);
  } else if (nr == _IOC_NR(EVIOCGBIT(EV_REL, 0))) {
    answer = bits(device.relative, REL_CNT);
  } else if (nr == _IOC_NR(EVIOCGBIT(EV_ABS, 0))) {
    answer = bits(absolutes(device), ABS_CNT);
  } else if (nr == _IOC_NR(EVIOCGBIT(EV_LED, 0))) {
    answer = bits(of_type(device, EV_LED), LED_CNT);
  } else if (nr == _IOC_NR(EVIOCGBIT(EV_FF, 0))) {
    answer = bits(of_type(device, EV_FF), FF_CNT);
  } else if (nr >= _IOC_NR(EVIOCGABS(0)) && nr < _IOC_NR(EVIOCGABS(0)) + ABS_CNT) {
    const auto code = static_cast<std::uint16_t>(nr - _IOC_NR(EVIOCGABS(0)));
    const AbsoluteRange r = device.absolute[code];
    raw(input_absinfo{values[code], r.minimum, r.maximum, r.fuzz, r.flat, r.resolution});
  } else {
    answer.resize(size);
  }
  answer.resize(std::min<std::size_t>(answer.size(), size));
  UMockdevIoctlData* data = umockdev_ioctl_data_resolve(umockdev_ioctl_client_get_arg(client), 0, size, nullptr);
  if (data == nullptr) return complete(-1, EFAULT);
  umockdev_ioctl_data_update(data, 0, answer.data(), static_cast<int>(answer.size()));
  umockdev_ioctl_data_unref(data);
  // A request of a fixed size is answered with 0, one of any length with that length.
  const bool fixed = nr == _IOC_NR(EVIOCGVERSION) || nr == _IOC_NR(EVIOCGID) || nr >= _IOC_NR(EVIOCGABS(0));
  return complete(fixed ? 0 : static_cast<long>(answer.size()), 0);
}

void MockDevice::plug(int announcements) {
  driver_->gone = false;
  appear();
  for (int i = 0; i < announcements; ++i)
    umockdev_testbed_uevent(bed_.get(), ("/sys" + syspath() + fmt::format("/event{}", number_)).c_str(), "add");
}

void MockDevice::plug_dead() {
  driver_->gone = true;
  appear();
  umockdev_testbed_uevent(bed_.get(), ("/sys" + syspath() + fmt::format("/event{}", number_)).c_str(), "add");
}

void MockDevice::appear() {
  // umockdev takes no node's name twice; a kernel, too, often gives the next one.
  if (base_ != nullptr) {
    number_ += 10;
    g_object_unref(base_);
  }
  driver_->waiting = 0;
  base_ = umockdev_ioctl_base_new();
  g_signal_connect(base_, "handle-ioctl", G_CALLBACK(on_ioctl), driver_.get());
  g_signal_connect(base_, "handle-read", G_CALLBACK(on_read), driver_.get());
  g_signal_connect(base_, "handle-write", G_CALLBACK(on_write), driver_.get());
  GError* error = nullptr;
  // The driver first: adding announces the device, and a reader that opens it at once must find it answering.
  if (!umockdev_testbed_attach_ioctl(bed_.get(), path().c_str(), base_, &error))
    throw std::runtime_error(error->message);
  if (!umockdev_testbed_add_from_string(bed_.get(), describe().c_str(), &error))
    throw std::runtime_error(error->message);
  fd_ = umockdev_testbed_get_dev_fd(bed_.get(), path().c_str());
  reader_end_ = ::ioctl(fd_, TIOCGPTPEER, O_RDONLY | O_NOCTTY | O_NONBLOCK);
}

void MockDevice::close_ends() {
  for (int* const fd : {&fd_, &reader_end_})
    if (*fd >= 0) ::close(std::exchange(*fd, -1));
}

void MockDevice::vanish() {
  namespace fs = std::filesystem;
  driver_->gone = true;
  GError* error = nullptr;
  close_ends();
  umockdev_testbed_detach_ioctl(bed_.get(), path().c_str(), &error);
  umockdev_testbed_remove_device(bed_.get(), ("/sys" + syspath() + fmt::format("/event{}", number_)).c_str());
  umockdev_testbed_remove_device(bed_.get(), ("/sys" + syspath()).c_str());
  // umockdev keeps what it noted of the pseudo-terminal, whose name comes again with the next device.
  gchar* root = umockdev_testbed_get_root_dir(bed_.get());
  std::vector<fs::path> ours;
  for (const auto& entry : fs::directory_iterator(fs::path(root) / "dev/.ptymap"))
    if (fs::read_symlink(entry.path()).string() == fmt::format("13:{}\n", 64 + number_)) ours.push_back(entry.path());
  for (const fs::path& one : ours) fs::remove(one);
  g_free(root);
}

void MockDevice::unplug() {
  driver_->gone = true;
  close_ends();
  umockdev_testbed_uevent(bed_.get(), ("/sys" + syspath() + fmt::format("/event{}", number_)).c_str(), "remove");
  vanish();
}

void MockDevice::put(std::uint16_t type, std::uint16_t code, int value) {
  timespec now{};
  ::clock_gettime(CLOCK_BOOTTIME, &now);
  input_event event{};
  event.input_event_sec = now.tv_sec;
  event.input_event_usec = now.tv_nsec / 1000;
  event.type = type;
  event.code = code;
  event.value = value;
  // A pseudo-terminal that is full cuts an event in two, which no kernel does with a device.
  wait_for_room();
  ++driver_->waiting;
  if (::write(fd_, &event, sizeof event) != sizeof event) throw std::runtime_error("the made-up device takes no event");
}

/// What is written between the word of a read and that read itself is read and still counted: where nothing has been
/// there to read for a while, nothing waits.
void MockDevice::wait_for_room() {
  constexpr int while_empty = 200;
  for (int empty = 0, there = 0; driver_->waiting > most_waiting; ::usleep(100)) {
    empty = ::ioctl(reader_end_, FIONREAD, &there) == 0 && there == 0 ? empty + 1 : 0;
    if (empty >= while_empty) driver_->waiting = 0;
  }
}

void MockDevice::send(const std::vector<InputEvent>& events) {
  for (const InputEvent& e : events) {
    if (e.type == EV_KEY) hold(e.code, e.value != 0);
    if (e.type == EV_ABS) rest_at(e.code, e.value);
    put(e.type, e.code, e.value);
  }
  put(EV_SYN, SYN_REPORT, 0);
}

void MockDevice::hold(std::uint16_t key, bool down) {
  const std::lock_guard lock(driver_->lock);
  driver_->keys_down[key] = down ? 1 : 0;
}

void MockDevice::rest_at(std::uint16_t absolute, int value) {
  const std::lock_guard lock(driver_->lock);
  driver_->values[absolute] = value;
}

void MockDevice::drop() {
  put(EV_SYN, SYN_DROPPED, 0);
  put(EV_SYN, SYN_REPORT, 0);
}

}  // namespace gyrax::test
