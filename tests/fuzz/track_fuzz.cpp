// Any bytes as a track; what is read is decoded, written, and read back the same.
#include "within.hpp"

#include <gyrax/handset/decoder.hpp>
#include <gyrax/handset/track.hpp>

#include <cstdint>

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  try {
    const std::string_view text{reinterpret_cast<const char*>(data), size};
    const gyrax::Track track =
        gyrax::test::within(gyrax::test::track_memory.of(size), [&] { return gyrax::parse_track(text, "fuzz.evemu"); });
    gyrax::EventDecoder decoder(gyrax::HandsetId{0}, track.device);
    std::vector<gyrax::Reading> readings;
    decoder.plugged(gyrax::Time{}, readings);
    for (const gyrax::InputEvent& event : track.events) decoder.event(event, gyrax::Time{}, gyrax::Time{}, readings);
    const std::string written = gyrax::write_track(track);
    if (gyrax::write_track(gyrax::parse_track(written, "again")) != written) __builtin_trap();
  } catch (const gyrax::SessionError& error) {
    if (error.problems().empty()) __builtin_trap();
  }
  return 0;
}
