/// A wire of this machine: a serial line, a TCP connection, a UDP peer. Opened, and opened again, in a thread of its
/// own; read and written without a wait.
///
/// In: bytes to send. Out: bytes that came; whether it is open. Never: a wait in read() or write(); a byte kept for
/// later: what the system does not take at once is lost, and the far end finds its place again.
///
///     wire::Port port({.serial = "/dev/serial/by-id/usb-lamp_bridge", .baud = 115200});
///     const auto came = port.read(room);
#pragma once

#include <atomic>
#include <condition_variable>
#include <cstddef>
#include <cstdint>
#include <memory>
#include <mutex>
#include <optional>
#include <span>
#include <string>
#include <thread>

namespace gyrax::wire {

/// Where a wire leads: one of the three.
struct Place {
  std::string serial;    ///< a device's path
  std::string tcp, udp;  ///< "host:port", "[::1]:7000"
  int baud = 115200;     ///< of a serial line
  /// "serial line /dev/ttyACM0".
  std::string words() const;
  /// Bytes a second, each way; 0: the wire itself is no limit.
  double bytes_per_s() const { return serial.empty() ? 0 : baud / 10.0; }
};
/// Whether a serial line can have this speed.
bool is_baud(int baud) noexcept;
/// "host:port" in two; nullopt where it is not that.
std::optional<std::pair<std::string, std::string>> host_and_port(const std::string& text);

class Port {
 public:
  explicit Port(Place place);
  ~Port();
  Port(const Port&) = delete;
  Port& operator=(const Port&) = delete;

  /// What has come, of as much as there is room for.
  std::span<const std::uint8_t> read(std::span<std::uint8_t> room) noexcept;
  /// Whether the system took all of it.
  bool write(std::span<const std::uint8_t> bytes) noexcept;
  bool is_open() const noexcept { return descriptor_.load(std::memory_order_acquire) >= 0; }
  /// To wait for; -1 while it is not open, and another one when it is opened again.
  int descriptor() const noexcept { return descriptor_.load(std::memory_order_acquire); }
  /// Why it could not be opened last; empty: it could. From any thread.
  std::string trouble() const;
  const Place& place() const noexcept { return place_; }

 private:
  void keep_open();
  int open_once();
  void lose() noexcept;

  Place place_;
  std::atomic<int> descriptor_{-1}, lost_{-1};
  std::atomic<bool> ending_{false};
  mutable std::mutex mutex_;
  std::condition_variable wake_;
  std::string trouble_;
  std::thread opener_;
};

}  // namespace gyrax::wire
