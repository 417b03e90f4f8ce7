// Any bytes as a track; what is read is decoded, written, and read back the same.
#include <gyrax/handset/decoder.hpp>
#include <gyrax/handset/track.hpp>

#include <cstdint>

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  try {
    const gyrax::Track track = gyrax::parse_track({reinterpret_cast<const char*>(data), size}, "fuzz.evemu");
    gyrax::EventDecoder decoder(gyrax::HandsetId{0}, track.device);
    std::vector<gyrax::Reading> readings;
    decoder.plugged(gyrax::Time{}, readings);
    for (const gyrax::InputEvent& event : track.events) decoder.event(event, gyrax::Time{}, gyrax::Time{}, readings);
    const std::string text = gyrax::write_track(track);
    if (gyrax::write_track(gyrax::parse_track(text, "again")) != text) __builtin_trap();
  } catch (const gyrax::SessionError& error) {
    if (error.problems().empty()) __builtin_trap();
  }
  return 0;
}
