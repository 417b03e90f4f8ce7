// Any text as a session.
#include <gyrax/handset/session.hpp>

#include <cstdint>

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  try {
    const gyrax::Session session = gyrax::parse_session({reinterpret_cast<const char*>(data), size}, "fuzz/session.toml");
    if (session.length <= gyrax::Span{0}) __builtin_trap();
  } catch (const gyrax::SessionError& error) {
    if (error.problems().empty()) __builtin_trap();
  }
  return 0;
}
