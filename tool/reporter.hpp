// What a live run tells on standard output: for a script, for a person who reads lines, or behind a screen.
#pragma once

#include <gyrax/handset/controls.hpp>
#include <gyrax/handset/live.hpp>
#include <gyrax/live/runner.hpp>
#include <gyrax/rig/rig.hpp>

#include <memory>
#include <string>

namespace gyrax::tool {

class Reporter {
 public:
  virtual ~Reporter() = default;
  /// How it begins: with which rig (none: with every control), and where its record goes (empty: nowhere).
  virtual void started(const Rig* rig, const std::string& logbook) = 0;
  virtual void note(Time at, const std::string& text) = 0;
  /// A device has taken a seat, or left it.
  virtual void plugged(Time at, const SeenHandset& seat) = 0;
  virtual void reading(const SeenHandset& seat, const Reading& reading, const ControlName& control, double value) = 0;
  virtual void event(const Rig& rig, const Event& event) = 0;
  /// What an axis does, or what holds it, is another thing now.
  virtual void axis(const Rig& rig, AxisId axis, const RunView& run) = 0;
  virtual void ended(const RunView& run, const std::string& account, bool real_time) = 0;
  virtual void logbook(const std::string& path, const LogbookWriter::Closed& closed) = 0;
};

/// A JSON document for each line.
std::unique_ptr<Reporter> json_reporter();
/// Sentences.
std::unique_ptr<Reporter> plain_reporter();
/// Nothing while the screen shows it; at the end the same sentences.
std::unique_ptr<Reporter> screen_reporter();

}  // namespace gyrax::tool
