#include "wires.hpp"

#include <fmt/format.h>

namespace gyrax {

void check_wire(Table& table, const wire::Place& place) {
  const int named = (place.serial.empty() ? 0 : 1) + (place.tcp.empty() ? 0 : 1) + (place.udp.empty() ? 0 : 1);
  if (named == 0)
    table.missing("serial", "its wire: serial = \"/dev/serial/by-id/…\", tcp = \"host:port\" or udp = \"host:port\"");
  if (named > 1) table.problem(Code::one_effect, "", "names more than one wire", "one of serial, tcp and udp");
  for (const auto& [key, where] : {std::pair{"tcp", &place.tcp}, {"udp", &place.udp}})
    if (!where->empty() && !wire::host_and_port(*where))
      table.problem(Code::out_of_range, key, fmt::format("'{}' is no host and port", *where),
                    "\"host:port\", port 1 to 65535: \"lamp.local:7325\", \"[::1]:7325\"");
  if (!wire::is_baud(place.baud))
    table.problem(Code::out_of_range, "baud", fmt::format("{} is no speed of a serial line", place.baud),
                  "one of 9600, 19200, 38400, 57600, 115200, 230400, 460800, 500000, 921600, 1000000, 2000000");
}

}  // namespace gyrax
