// A board that is asked over its own wire while nothing on it moves: who it is, what its channels are.
#pragma once

#include <gyrax/link/board.hpp>
#include <gyrax/link/board_ear.hpp>
#include <gyrax/wire/port.hpp>

#include <array>
#include <functional>
#include <memory>
#include <random>
#include <string>

namespace gyrax::tool {

class BoardAsker {
 public:
  explicit BoardAsker(const LinkInfo& link)
      : place_(wire_place(link)),
        asks_({static_cast<std::uint8_t>(link.number("address")), place_.bytes_per_s(), std::random_device{}()}),
        ear_(static_cast<std::uint8_t>(link.number("address"))) {}
  /// It has the wire from open() to close(); what was heard stays.
  void open() { port_ = std::make_unique<wire::Port>(place_); }
  void close() { port_.reset(); }
  bool has_wire() const { return port_ != nullptr; }
  /// Hears what came and asks what is due; each frame is told to `each`, where there is one. Only while it has the
  /// wire.
  void turn(Time now, const std::function<void(const BoardEar::Heard&)>& each = nullptr) {
    const auto came = port_->read(room_);
    if (!came.empty()) ear_.hear({now, false, came}, each);
    asks_.hear(now, came);
    if (!port_->is_open()) return;
    if (const auto bytes = asks_.next(now); !bytes.empty() && port_->write(bytes)) ear_.hear({now, true, bytes}, each);
  }
  /// Why the wire is not open, "cannot be opened: …"; empty: it is, or it has none.
  std::string trouble() const {
    return port_ && !port_->is_open() ? "cannot be opened: " + port_->trouble() : std::string();
  }
  const wire::Place& place() const { return place_; }
  BoardSurvey& asks() { return asks_; }
  const BoardSurvey& asks() const { return asks_; }
  const BoardSeen& seen() const { return ear_.seen(); }

 private:
  wire::Place place_;
  BoardSurvey asks_;
  BoardEar ear_;
  std::unique_ptr<wire::Port> port_;
  std::array<std::uint8_t, 4096> room_{};
};

}  // namespace gyrax::tool
