// One drive or PLC of a stand-in: its machine, and its registers, coils and inputs. Private to the link room.
#pragma once

#include "home_switch.hpp"

#include <gyrax/rig/rig.hpp>
#include <gyrax/sim/drive.hpp>

#include <modbus.h>

#include <cstdint>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <vector>

namespace gyrax {

class DriveUnit {
 public:
  enum class Breaks { nothing, hung, slow, refuse };

  /// Errors: std::invalid_argument where the link has no registers.
  DriveUnit(const Rig& rig, LinkId link);

  const std::string& name() const noexcept { return link_.name; }
  int unit() const noexcept { return static_cast<int>(link_.number("unit")); }
  const std::vector<AxisInfo>& axes() const noexcept { return axes_; }
  const std::vector<InputInfo>& inputs() const noexcept { return inputs_; }
  /// For libmodbus to answer from.
  modbus_mapping_t* mapping() noexcept { return mapping_.get(); }
  /// What can be read, as it is now.
  void fill(std::uint64_t now_us);
  /// A request was answered: what it wrote. Without the header of its wire.
  void take(std::span<const std::uint8_t> request, std::uint64_t now_us);
  void advance(std::uint64_t now_us);
  void set_input(std::size_t row, double raw);
  /// Where its axes are, in words.
  std::string places() const;
  std::vector<std::string> seen();
  sim::Drive& drive() noexcept { return drive_; }
  const sim::Drive& drive() const noexcept { return drive_; }

  Breaks breaks = Breaks::nothing;

 private:
  void say(std::string words) { seen_.push_back(std::move(words)); }
  void lay_out();
  std::uint16_t* at(const RegisterWord& word, bool told) const;
  void take_bits(unsigned first, unsigned count);
  void take_registers(unsigned first, unsigned count, bool one, std::uint64_t now_us);
  void take_switch(const RegisterEntry& entry, bool on);

  const LinkInfo& link_;
  sim::Drive drive_;
  std::vector<AxisInfo> axes_;
  std::vector<InputInfo> inputs_;
  std::vector<double> values_;          // of the inputs
  std::vector<RegisterWrite> written_;  // by the rig's actions
  struct Met {
    std::size_t axis = 0, input = 0;
    HomeSwitch home;
  };
  std::vector<Met> switches_met_;  // inputs that say where an axis is
  std::vector<sim::DriveSetPoint> set_points_;
  std::vector<std::uint8_t> switched_;
  struct Free {
    void operator()(modbus_mapping_t* mapping) const { modbus_mapping_free(mapping); }
  };
  std::unique_ptr<modbus_mapping_t, Free> mapping_;
  unsigned first_ = 0;  // of its registers
  sim::DrivePhase phase_ = sim::DrivePhase::switch_on_disabled;
  std::uint32_t trips_ = 0;
  std::uint64_t told_us_ = 0;
  std::optional<std::uint64_t> stopped_at_;
  std::vector<double> from_;
  std::vector<std::string> seen_;
};

}  // namespace gyrax
