// A made-up input device for a real libevdev and a real libudev: umockdev stands in for the kernel, this for the
// driver.
#pragma once

#include <gyrax/handset/device.hpp>

#include <umockdev.h>

#include <atomic>
#include <cstdint>
#include <memory>
#include <mutex>
#include <set>
#include <stdexcept>
#include <string>
#include <vector>

namespace gyrax::test {

class Testbed {
 public:
  Testbed() : bed_(umockdev_testbed_new()) {}
  ~Testbed() { g_object_unref(bed_); }  // and its threads have ended before what they use goes
  Testbed(const Testbed&) = delete;
  Testbed& operator=(const Testbed&) = delete;
  UMockdevTestbed* get() { return bed_; }
  /// Further devices in umockdev's own words.
  void add(const char* description) {
    GError* error = nullptr;
    if (!umockdev_testbed_add_from_string(bed_, description, &error)) throw std::runtime_error(error->message);
  }
  /// Keeps something as long as umockdev's own threads may use it.
  void keep(std::shared_ptr<void> used) { kept_.push_back(std::move(used)); }
  /// Whether this carrier is new to the bed: a product's nodes share one, and it stays when they go.
  bool brings(const std::string& carrier) { return carriers_.insert(carrier).second; }
  /// False where the test does not run under umockdev-wrapper: then nothing here would be mocked.
  static bool there() { return umockdev_in_mock_environment(); }

 private:
  std::vector<std::shared_ptr<void>> kept_;
  UMockdevTestbed* bed_;
  std::set<std::string> carriers_;
};

/// The made-up driver: what it answers, in a thread of umockdev's.
struct MockDriver {
  explicit MockDriver(Device described);
  gboolean answer(UMockdevIoctlClient* client);

  std::mutex lock;
  Device device;
  std::vector<std::uint8_t> keys_down;
  std::vector<int> values;
  std::atomic<bool> gone{true};
  std::atomic<int> waiting{0};  // events that nobody has read yet, and at times some more
  std::atomic<int> grabs{0}, ungrabs{0}, effects{0}, writes{0};
};

class MockDevice {
 public:
  /// A device with this event node's number, on this port; not plugged in yet. `carrier`: nodes with the same one
  /// belong to one product.
  MockDevice(Testbed& bed, int number, Device device, std::string carrier = {});
  ~MockDevice();
  MockDevice(const MockDevice&) = delete;
  MockDevice& operator=(const MockDevice&) = delete;

  /// Makes the node and announces it, as often as told.
  void plug(int announcements = 1);
  /// Announces a node that is gone by then.
  void plug_dead();
  /// As a kernel does it: reading fails with ENODEV, the node goes, and it is announced.
  void unplug();
  /// The node goes, and nobody is told.
  void vanish();

  /// Events with the kernel's stamp of now, and the SYN_REPORT that ends them.
  void send(const std::vector<InputEvent>& events);
  void key(std::uint16_t code, int value) { send({{0, 1, code, value}}); }
  void move(std::uint16_t code, int value) { send({{0, 3, code, value}}); }
  /// What the kernel would say if asked now, without telling it as an event.
  void hold(std::uint16_t key, bool down);
  void rest_at(std::uint16_t absolute, int value);
  void drop();  ///< SYN_DROPPED

  std::string path() const;
  const MockDriver& driver() const { return *driver_; }

 private:
  std::string describe() const;
  std::string syspath() const;
  void appear();
  void close_ends();
  void wait_for_room();
  void put(std::uint16_t type, std::uint16_t code, int value);

  Testbed& bed_;
  int number_;
  std::string carrier_;
  std::shared_ptr<MockDriver> driver_;
  UMockdevIoctlBase* base_ = nullptr;
  int fd_ = -1, reader_end_ = -1;  // the second to see whether anything is there to read
};

}  // namespace gyrax::test
