// Any text as a rig: read and reviewed, or refused.
#include "within.hpp"

#include <gyrax/engine/engine.hpp>
#include <gyrax/rig/review.hpp>

#include <cstdint>

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  try {
    const std::string_view text{reinterpret_cast<const char*>(data), size};
    const gyrax::Rig rig =
        gyrax::test::within(gyrax::test::toml_memory.of(size), [&] { return gyrax::parse_rig(text, "fuzz/rig.toml"); });
    if (gyrax::review_text(rig).empty() || gyrax::review_json(rig).empty()) __builtin_trap();
    const gyrax::Engine engine(rig.setup);
  } catch (const gyrax::RigError& error) {
    // What is refused is refused for a reason.
    if (error.problems().empty()) __builtin_trap();
  }
  return 0;
}
