/// One handset's recorded events, in evemu's open text format.
///
/// In: the text, as the evemu tools write it (versions 1.0 to 1.3): device description (N, I, P, B, A, and L, S states)
/// and events (E), comments. Out: the device and its events. Never: an event out of order; more than the stated memory.
///
///     gyrax::Track track = gyrax::read_track("pad.evemu");
///     track.device.name, track.events.size()
#pragma once

#include <gyrax/files/problem.hpp>
#include <gyrax/handset/device.hpp>

#include <string>
#include <string_view>
#include <vector>

namespace gyrax {

struct Track {
  Device device;
  std::vector<InputEvent> events;  ///< times ascending; from the track's own zero
  std::vector<int> lines;          ///< of each event, the line it stands on
};

/// Greatest track that is read: bytes of text. An event takes 20 bytes and its shortest line 12, so that besides the
/// text a track never takes more than twice as much again, and 1 MiB.
inline constexpr std::size_t max_track = 256u << 20;

/// Errors: SessionError with every line that cannot be read (at most 20 are told).
Track parse_track(std::string_view text, const std::string& file);
Track read_track(const std::string& path);
/// The track as evemu text, version 1.3.
std::string write_track(const Track& track);

}  // namespace gyrax
