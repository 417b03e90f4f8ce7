/// A link of the kind "modbus": a drive or a PLC whose registers are written and read over TCP or a serial line (RTU).
///
/// In: the engine's frames. Out: reports. Never: a wait of the engine's thread, a request that is sent twice.
///
/// What waits is a thread of its own, one for each wire. It writes the newest frame as long as that is valid, and reads
/// what is heard, once a cycle. It counts nothing itself: the heartbeat is the frame's own number, so that it stands
/// still when the engine does.
///
/// Source: MODBUS Application Protocol Specification V1.1b3 (function codes 3, 4 and 16); MODBUS over Serial Line
/// V1.02.
#pragma once

#include <gyrax/link/link.hpp>
#include <gyrax/link/register_talk.hpp>

#include <map>
#include <memory>
#include <string>

namespace gyrax {

class ModbusWire;
struct ModbusSide;

/// The wires of a rig's drives, by their places; drives with different addresses share one.
using ModbusWires = std::map<std::string, std::shared_ptr<ModbusWire>>;

class ModbusLink final : public Link {
 public:
  /// On a wire of its own.
  ModbusLink(const Rig& rig, LinkId link);
  ModbusLink(const Rig& rig, LinkId link, ModbusWires& wires);
  ~ModbusLink() override;
  void receive(Time now, std::vector<LinkReport>& reports) override;
  void send(const Frame& frame) override;
  std::optional<std::string> said() override;
  /// What was heard last. From the thread that receives.
  const RegistersHeard& heard();

 private:
  LinkId link_;
  std::shared_ptr<ModbusSide> side_;
  std::shared_ptr<ModbusWire> wire_;
  std::uint32_t seen_ = 0;  // the last report
  Time measured_{};         // its time
};

}  // namespace gyrax
