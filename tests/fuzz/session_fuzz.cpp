// Any text as a session.
#include "within.hpp"

#include <gyrax/handset/session.hpp>

#include <cstdint>

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  try {
    const std::string_view text{reinterpret_cast<const char*>(data), size};
    const gyrax::Session session = gyrax::test::within(gyrax::test::toml_memory.of(size),
                                                       [&] { return gyrax::parse_session(text, "fuzz/session.toml"); });
    if (session.length <= gyrax::Span{0}) __builtin_trap();
  } catch (const gyrax::SessionError& error) {
    if (error.problems().empty()) __builtin_trap();
  }
  return 0;
}
