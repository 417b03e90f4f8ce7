/// What kind of file a text is, so that a wrong one is named instead of read.
///
///     if (auto problem = other_kind(text, "pad.evemu", FileKind::rig)) …   // "this is a track, not a rig"
#pragma once

#include <gyrax/files/problem.hpp>

#include <optional>
#include <string>
#include <string_view>

namespace gyrax {

enum class FileKind { rig, session, calibration, track, logbook };

/// The one problem of a file that is of another kind than wanted, or no text at all; nullopt where it may be right. A
/// rig's further files (`include`) are of no kind of their own.
std::optional<Problem> other_kind(std::string_view text, const std::string& file, FileKind wanted);

}  // namespace gyrax
