// A logbook: what was written replays to the last bit, cut anywhere it reads up to the cut, and a bad disk costs
// records only.
#include <gyrax/files/text_file.hpp>
#include <gyrax/logbook/reader.hpp>
#include <gyrax/logbook/replay.hpp>

#include "support/demo_log.hpp"
#include "support/random.hpp"
#include "support/rigs.hpp"

#include <doctest/doctest.h>

#include <sys/resource.h>
#include <sys/wait.h>
#include <unistd.h>
#include <csignal>
#include <filesystem>
#include <functional>
#include <mutex>

using namespace gyrax;
namespace fs = std::filesystem;

namespace {

struct Folder {
  fs::path path = fs::temp_directory_path() / ("gyrax-logbook-" + std::to_string(::getpid()));
  Folder() { fs::create_directories(path); }
  ~Folder() { fs::remove_all(path); }
  std::string operator/(const std::string& name) const { return (path / name).string(); }
};

constexpr std::size_t ticks = 5000;  // ten seconds: refused, ready, live, steps, overrides

std::string read(const std::string& path) { return read_text(path, 1u << 30).text; }

/// The ticks that can be read, and the records told as lost, in order.
struct Read {
  std::vector<std::size_t> lost_after;
  std::size_t ticks = 0;
  std::uint64_t lost = 0;
  std::string cut;
};

Read read_all(const std::string& text) {
  Read all;
  LogbookReader log(text, "log");
  for (LogRecord record; log.next(record);) {
    if (record.kind == LogRecord::Kind::tick) ++all.ticks;
    if (record.kind != LogRecord::Kind::lost) continue;
    all.lost += record.number;
    all.lost_after.push_back(all.ticks);
  }
  all.cut = log.cut();
  return all;
}

}  // namespace

TEST_CASE("A run replays to the last bit, and says where not") {
  const Folder folder;
  const auto closed = test::write_demo_log(folder / "run.jsonl", ticks);
  CHECK(closed.ticks == ticks);
  CHECK(closed.lost == 0);
  CHECK(closed.bytes == fs::file_size(folder / "run.jsonl"));
  const Replay same = replay(folder / "run.jsonl");
  CAPTURE(same.difference);
  CHECK(same.same);
  CHECK(same.ticks == ticks);
  CHECK(same.notes == std::vector<std::string>{"the test is over"});
  CHECK(same.done.events.size() > 10);
  CHECK(same.rig.axes.size() == 6);

  // One raw number of one reading while x jogs: the first tick and value that differ are named.
  std::string text = read(folder / "run.jsonl");
  std::size_t from = text.find("\"main"), end = 0;
  for (bool found = false; !found; from = end) {
    from = text.find("\"r\":[[0,0,", from + 1);
    REQUIRE(from != std::string::npos);
    end = text.find('\n', from);
    found = text.substr(from, end - from).find("\"c\":[[0,\"follow") != std::string::npos;
    if (!found) continue;
    const std::size_t close = text.find(']', from), comma = text.rfind(',', close);
    text.replace(comma + 1, close - comma - 1, "-32000");
  }
  write_text(folder / "other.jsonl", text);
  const Replay other = replay(folder / "other.jsonl");
  CHECK_FALSE(other.same);
  CHECK(other.difference.find("axis x") != std::string::npos);
  CHECK(other.difference.find(" in the logbook, ") != std::string::npos);
}

TEST_CASE("What wires and programs will say is kept, too, and replays") {
  const Folder folder;
  const Rig rig = test::rig(test::jog_and_step);
  Engine engine(rig.setup);
  TickBuffers out(rig.setup);
  const InputReport inputs[] = {{InputId{0}, 1, true}, {InputId{7}, 21.625, false}};
  const ActionReport actions[] = {{ActionId{3}, ActionReport::Result::timed_out},
                                  {ActionId{0}, ActionReport::Result::done}};
  const AxisReport axes[] = {{true, 12.5, -1}};
  const ProgramRequest program[] = {
      {.coordinate = CoordinateId{0}, .kind = ProgramRequest::Kind::go, .goal = -5'000'000},
      {.coordinate = CoordinateId{0}, .velocity = 0.1}};
  const auto report_of = [&](std::uint32_t number, Time now) {
    LinkReport report{.sequence = number, .measured = now, .arrival = now, .axes = axes};
    if (number == 1) return report;
    report.far_clock = Time{std::chrono::milliseconds(4001 * number)};
    report.faults = 0x80000001u;
    report.inputs = inputs;
    report.actions = actions;
    return report;
  };
  {
    LogbookWriter log(rig, folder / "run.jsonl");
    for (std::uint32_t i = 1; i < 4; ++i) {
      const Time now{std::chrono::milliseconds(2 * i)};
      const LinkReport report = report_of(i, now);
      engine.tick({.now = now, .readings = {}, .reports = {&report, 1}, .end = false, .program = program}, out.view());
      log.tick({now, false, {}, {&report, 1}, out.commands, out.switches, {}, program});
    }
    log.close("over");
  }
  LogbookReader log(folder / "run.jsonl");
  std::uint32_t i = 0;
  for (LogRecord record; log.next(record) && record.kind == LogRecord::Kind::tick;) {
    ++i;
    REQUIRE(record.reports.size() == 1);
    const LinkReport &read = record.reports.front(), wrote = report_of(i, record.now);
    CHECK(read.far_clock == wrote.far_clock);
    CHECK(read.faults == wrote.faults);
    CHECK(std::equal(read.inputs.begin(), read.inputs.end(), wrote.inputs.begin(), wrote.inputs.end()));
    CHECK(std::equal(read.actions.begin(), read.actions.end(), wrote.actions.begin(), wrote.actions.end()));
    CHECK(std::equal(record.program.begin(), record.program.end(), std::begin(program), std::end(program)));
  }
  CHECK(i == 3);
  CHECK(replay(folder / "run.jsonl").same);
  // What is no such thing is told as that.
  std::string text = read(folder / "run.jsonl");
  text.replace(text.find("\"timed_out\""), 11, "\"forgotten\"");
  CHECK(read_all(text).cut.find("an action is done, refused or timed_out") != std::string::npos);
}

TEST_CASE("A span keeps its ticks, and the whole is replayed all the same") {
  const Folder folder;
  test::write_demo_log(folder / "run.jsonl", ticks);
  const Replay part = replay(folder / "run.jsonl", PlotSpan{4, 5});
  CHECK(part.same);
  CHECK(part.ticks == ticks);
  CHECK(part.done.trace.ticks == 500);
  CHECK(to_seconds(part.done.trace.at(0)) == doctest::Approx(4.0).epsilon(0.001));
}

TEST_CASE("Cut off anywhere, it reads up to the cut") {
  const Folder folder;
  test::write_demo_log(folder / "run.jsonl", 1500);
  const std::string whole = read(folder / "run.jsonl");
  const std::size_t head = whole.find('\n') + 1;
  std::mt19937_64 random(test::seed());
  for (int i = 0; i < 60; ++i) {
    const std::size_t at = i == 0 ? head : head + random() % (whole.size() - head);
    CAPTURE(at);
    const std::string part = whole.substr(0, at);
    const Read got = read_all(part);
    CHECK(got.ticks == static_cast<std::size_t>(std::count(part.begin(), part.end(), '\n')) - 1);
    CHECK_FALSE(got.cut.empty());
  }
  for (const std::size_t at : {std::size_t{0}, std::size_t{1}, head / 2, head - 1})
    CHECK_THROWS_AS(LogbookReader(whole.substr(0, at), "log"), SessionError);
  CHECK(read_all(whole).cut.empty());
  // A line of nonsense ends it there, with its number.
  std::string broken = whole;
  broken.replace(whole.find("\n{\"t\"", whole.size() / 2) + 1, 1, "[");
  CHECK(read_all(broken).cut.find(" is no JSON") != std::string::npos);
}

TEST_CASE("A disk that is slower than the run costs records, counted, where they are missing; never a wait") {
  const Folder folder;
  std::mutex disk;
  LogbookWriter::Options options;
  options.ring = 64u << 10;
  options.before_write = [&] {
    const std::lock_guard lock(disk);
    return std::error_code{};
  };
  std::size_t at = 0;
  disk.lock();  // stands still from the start, and for good half of the run
  const auto closed = test::write_demo_log(folder / "run.jsonl", ticks, options, [&](LogbookWriter& log) {
    if (++at != ticks / 2) return;
    CHECK(log.lost() > 1000);
    disk.unlock();
    ::usleep(200'000);
  });
  const Read got = read_all(read(folder / "run.jsonl"));
  CHECK(got.cut.empty());
  CHECK(closed.lost > 1000);
  CHECK(got.lost == closed.lost);
  CHECK(got.ticks + got.lost == ticks);
  CHECK(closed.ticks == got.ticks);
  const Replay replayed = replay(folder / "run.jsonl");
  CHECK(replayed.same);
  CHECK(replayed.ticks == got.lost_after.front());
}

TEST_CASE("A disk that fails at the Nth write: the rest is whole lines, and what is missing is told in its place") {
  const Folder folder;
  for (int first = 0; first < 6; ++first) {
    for (const int count : {1, 3, 1000}) {
      CAPTURE(first);
      CAPTURE(count);
      const std::string path = folder / ("run" + std::to_string(first) + "-" + std::to_string(count) + ".jsonl");
      int call = 0;
      LogbookWriter::Options options;
      options.ring = 16u << 20;
      options.before_write = [&] {
        const int n = call++;
        return n >= first && n < first + count ? std::make_error_code(std::errc::no_space_on_device)
                                               : std::error_code{};
      };
      const auto closed = test::write_demo_log(path, 3000, options, [](LogbookWriter&) {});
      CHECK(closed.trouble.empty() == (call <= first));
      if (call < first + count) continue;  // nothing came after
      const Read got = read_all(read(path));
      CHECK(got.cut.empty());
      CHECK(got.ticks + got.lost == 3000);
      CHECK(got.lost == closed.lost);
    }
  }
}

TEST_CASE("A disk that is full in the middle of a line: the line is taken back") {
  const Folder folder;
  const std::string path = folder / "run.jsonl";
  const pid_t child = ::fork();
  if (child == 0) {
    // Files of this process may not grow beyond this.
    std::signal(SIGXFSZ, SIG_IGN);
    const rlimit limit{100'000, 100'000};
    ::setrlimit(RLIMIT_FSIZE, &limit);
    const auto closed = test::write_demo_log(path, ticks);
    ::_exit(closed.lost > 0 && !closed.trouble.empty() ? 0 : 1);
  }
  int status = -1;
  ::waitpid(child, &status, 0);
  CHECK(WEXITSTATUS(status) == 0);
  const std::string text = read(path);
  CHECK(text.size() <= 100'000);
  CHECK(text.back() == '\n');
  CHECK(read_all(text).ticks > 100);
}

TEST_CASE("What is no logbook is refused with a reason") {
  const Folder folder;
  const struct {
    std::string text, says;
  } cases[] = {{"", "this is no logbook"},
               {"{}\n", "this is no logbook"},
               {"gyrax = 1\n", "this is no logbook"},
               {std::string(100'000, '['), "this is no logbook"},
               {"{\"gyrax_logbook\":2}\n", "this logbook is of version 2"},
               {"{\"gyrax_logbook\":1}\n", "'program' is missing"},
               {"{\"gyrax_logbook\":\"x\"}\n", "a whole number is wanted"}};
  for (const auto& c : cases) {
    CAPTURE(c.text);
    std::string said;
    try {
      LogbookReader log(c.text, "log.jsonl");
    } catch (const SessionError& error) {
      said = error.what();
    }
    CHECK(said.find(c.says) != std::string::npos);
  }
  CHECK_THROWS_AS(LogbookReader(folder / "none.jsonl"), SessionError);
  CHECK_THROWS_AS(LogbookReader(folder.path.string()), SessionError);
  CHECK_THROWS_AS(LogbookWriter(test::demo().rig, folder / "no/such/folder.jsonl"), std::system_error);
}
