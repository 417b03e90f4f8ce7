// The tool's verbs. Each parses nothing and computes nothing: it calls the library, prints, and gives an exit code.
#pragma once

#include <gyrax/files/problem.hpp>
#include "outputs.hpp"

#include <gyrax/logbook/export.hpp>

#include <optional>
#include <string>
#include <vector>

namespace gyrax::tool {

/// 0 done, 1 the thing checked did not hold, 2 wrong usage or input, 3 the outside world failed.
enum Exit : int {
  done = 0,
  did_not_hold = 1,
  wrong_input = 2,
  world_failed = 3,
  // Of a logbook, where nothing worse is:
  is_cut_off = 4,
  is_damaged = 5,
  other_binary = 6
};

struct RehearseOptions {
  std::string rig, session;
  Outputs outputs;
  std::string axis;  ///< of the plot: one axis in depth; empty: all
  std::string span;  ///< of the plot: "FROM:TO" in s; empty: all
  bool json = false;
};

/// Tells what cannot work in a rig, and what is dangerous.
void tell_worst(const Rig& rig);
struct CheckOptions {
  std::string rig;
  std::string edited;                ///< the same after an edit; empty: one rig is reviewed
  std::string deny = "cannot_work";  ///< the least severity of a finding that makes it exit with 1
  bool json = false, wiring = false;
};
int check(const CheckOptions& options);
int rehearse(const RehearseOptions& options);
/// Rehearses the demo rig with the demo session and leaves its plot and signals in a folder.
int demo(const std::string& folder, bool replace);

/// What is plugged in; with `everything` also what no rig can use.
int handsets(bool as_json, bool everything);

struct CalibrateOptions {
  std::string track;               ///< a recording of one device; empty: live
  std::string out;                 ///< where the calibration goes; empty: nowhere
  std::string wire;                ///< live: it hangs there, "serial:/dev/…"
  std::string device;              ///< live: which one, "1209:0001"; empty: the only one
  std::vector<std::string> names;  ///< "ABS_Z=stick.right.x"
  double step_s = 0;               ///< live: steps end after this; 0: with Enter
  bool replace = false, json = false;
};
int calibrate(const CalibrateOptions& options);

enum class LiveVerb { watch, run };
struct LiveOptions {
  LiveVerb verb = LiveVerb::watch;
  std::string rig;       ///< may be empty for watch
  std::string wire;      ///< of a watch without a rig: a handset hangs there as well
  std::string hands;     ///< a session that plays in place of real handsets
  std::string logbook;   ///< where it goes; empty: the usual place
  std::size_t keep = 0;  ///< of the logbooks there, so many files; 0: as the rig says
  double keep_mb = 0;    ///< and so much
  std::string record;    ///< a recording that starts at once goes to this stem
  double for_s = 0;      ///< ends by itself after this; 0: not
  bool replace = false;  ///< a logbook or a recording that is there already
  bool plain = false, json = false, keep_log = false, real_time = false;
  bool typed = false;  ///< standard input gives names of actions, a line each
};
/// Live until it is told to end.
int live(const LiveOptions& options);

struct LogbookOptions {
  std::string file;  ///< empty: list what there is
  Outputs outputs;
  std::string axis, span;
  bool json = false;
};
int logbook(const LogbookOptions& options);

struct FaultsOptions {
  std::string rig, axis, failure;  ///< axis, failure: empty: all
  std::string plot, page;          ///< where the worst run's plot goes, and the page; empty: nowhere
  bool all = false, json = false, replace = false;
  std::uint64_t campaign = 0;  ///< so many ticks of random hands and failures instead; 0: not
  std::uint64_t seed = 1;
};
/// What can fail, at the worst moments, on the simulated machine.
int faults(const FaultsOptions& options);

struct StandInOptions {
  std::string kind, rig, link;   ///< link empty: the rig's only one of that kind
  std::string session, handset;  ///< of a handset; handset empty: the rig's only one on a wire
  double for_s = 0, every_s = 1;
};
/// A simulated far end as a process of its own, until it is told to quit.
int stand_in(const StandInOptions& options);

struct BringUpOptions {
  std::string rig, hands;
  std::string axis;  ///< empty: one after the other
  std::string out;   ///< where the rig goes; empty: into its own file
  double for_s = 0;
  bool real_time = true;
};
/// One axis at a time, slowly: does it move, which way, where are its ends.
int bring_up(const BringUpOptions& options);

struct LinksOptions {
  std::string rig, link;  ///< link empty: all of the rig's
  double for_s = 0;       ///< 0: until there is an answer; of print: until it is ended
  bool print = false, json = false;
};
/// Who is at the far ends of a rig's links, and what goes over their wires; nothing moves.
int links(const LinksOptions& options);

// Shared by the verbs.
/// The rig with the ends of the session's devices; what is odd about these is told.
Rig fitted_with_warnings(const std::string& path, const Session& session);
/// A summary, where nothing else takes standard output; otherwise to standard error.
void tell_summary(const Outputs& outputs, bool as_json, const std::string& told);
/// Something to know that stops nothing: to standard error.
void remark(const std::string& text);
/// An error, to standard error; with --json, where no document has been told, as one as well.
void complain(const std::string& text);
int tell(const FileError& error, int otherwise);
std::string problems_json(const FileError& error);
/// "12:14.5" as seconds; nullopt if it is not that.
int bad_span(const std::string& text);
/// Tells of a --axis that the rig does not have; false if it has it, or none is given.
bool bad_axis(const Rig& rig, const std::string& name);
std::optional<PlotSpan> span_of(const std::string& text);

}  // namespace gyrax::tool
