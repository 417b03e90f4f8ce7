// A logbook: what was written replays to the last bit; cut anywhere it reads up to the cut; no flipped bit goes unseen;
// and a bad disk costs records at most.
#include <gyrax/files/text_file.hpp>
#include <gyrax/logbook/reader.hpp>

#include "support/demo_log.hpp"
#include "support/folder.hpp"
#include "support/logbooks.hpp"
#include "support/random.hpp"
#include "support/replayed.hpp"
#include "support/rigs.hpp"

#include <doctest/doctest.h>

#include <sys/resource.h>
#include <sys/wait.h>
#include <unistd.h>
#include <atomic>
#include <cmath>
#include <csignal>
#include <cstring>
#include <filesystem>
#include <functional>
#include <mutex>

using namespace gyrax;
namespace fs = std::filesystem;

namespace {

using test::Folder;

constexpr std::size_t ticks = 5000;  // ten seconds: refused, ready, live, steps, overrides

std::string read(const std::string& path) { return read_text(path, 1u << 30).text; }

/// The ticks that can be read, and the records told as lost, in order.
struct Read {
  std::vector<std::size_t> lost_after;
  std::size_t ticks = 0;
  std::uint64_t lost = 0;
  double last_s = 0;
  LogEnd end = LogEnd::complete;
  std::string why;
};

Read read_all(const std::string& bytes) {
  Read all;
  LogbookReader log(bytes, "log");
  for (LogRecord record; log.next(record);) {
    if (record.kind == LogRecord::Kind::tick) {
      ++all.ticks;
      all.last_s = to_seconds(record.now);
    }
    if (record.kind != LogRecord::Kind::lost) continue;
    all.lost += record.number;
    all.lost_after.push_back(all.ticks);
  }
  all.end = log.ended();
  all.why = log.why();
  return all;
}

struct Place {
  std::uint64_t begin = 0, end = 0;
  std::size_t ticks = 0;
};
/// Where each piece is, and how many ticks are in it.
std::vector<Place> places_of(const std::string& bytes) {
  std::vector<Place> all;
  PieceReader pieces(std::make_unique<std::istringstream>(bytes));
  for (std::string text; pieces.next(text);) {
    all.push_back({pieces.begin(), pieces.end(), text.starts_with("{\"t\":") ? std::size_t{1} : 0});
    for (std::size_t at = text.find("\n{\"t\":"); at != std::string::npos; at = text.find("\n{\"t\":", at + 1))
      ++all.back().ticks;
  }
  return all;
}

}  // namespace

TEST_CASE("A run replays to the last bit, and says where not") {
  const Folder folder;
  const auto closed = test::write_demo_log(folder / "run.jsonl.zst", ticks);
  CHECK(closed.ticks == ticks);
  CHECK(closed.lost == 0);
  CHECK(closed.trouble.empty());
  CHECK(closed.bytes == fs::file_size(folder / "run.jsonl.zst"));
  const auto same = test::replay(folder / "run.jsonl.zst");
  CAPTURE(same.difference);
  CHECK(same.same);
  CHECK(same.end == LogEnd::complete);
  CHECK_FALSE(same.other_build);
  CHECK(same.ticks == ticks);
  CHECK(same.notes == std::vector<std::string>{"the test is over"});
  CHECK(same.events.size() > 10);
  CHECK(same.rig.axes.size() == 6);

  // One raw number of one reading while x moves: the first tick that differs is named, its axis, and from what to what.
  std::string text = test::unpacked(read(folder / "run.jsonl.zst"));
  const std::size_t live = text.find("\"live\"");
  REQUIRE(live != std::string::npos);
  std::size_t from = text.find("\"r\":[[0,0,", live), found = 0;
  for (; from != std::string::npos; from = text.find("\"r\":[[0,0,", from + 1)) {
    const std::size_t close = text.find(']', from), comma = text.rfind(',', close);
    if (std::abs(std::stoi(text.substr(comma + 1))) < 10'000) continue;
    text.replace(comma + 1, close - comma - 1, "-32000");
    if (++found == 3) break;
  }
  REQUIRE(found == 3);
  write_text(folder / "other.jsonl.zst", test::packed(text));
  const auto other = test::replay(folder / "other.jsonl.zst");
  CAPTURE(other.difference);
  CHECK(other.end == LogEnd::complete);
  CHECK_FALSE(other.same);
  CHECK(other.difference.find("a command or a switch, of axis x") != std::string::npos);
  CHECK(other.difference.find(" in the logbook, ") != std::string::npos);
}

TEST_CASE("What wires and programs will say is kept, too, and replays; so does minus zero") {
  const Folder folder;
  const Rig rig = test::rig(test::jog_and_step);
  Engine engine(rig.setup);
  TickBuffers out(rig.setup);
  const InputReport inputs[] = {{InputId{0}, 1, true}, {InputId{7}, 21.625, false}};
  const ActionReport actions[] = {{ActionId{3}, ActionReport::Result::timed_out, 4'000'000'000},
                                  {ActionId{0}, ActionReport::Result::done, 1}};
  const AxisReport axes[] = {{true, -0.0, -0.0}, {.position = 12.5, .told = true}, {}};
  const ProgramRequest program[] = {
      {.coordinate = CoordinateId{0}, .kind = ProgramRequest::Kind::go, .goal = -5'000'000},
      {.coordinate = CoordinateId{0}, .velocity = -0.0}};
  const ActionId typed[] = {ActionId{0}, ActionId{99}};
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
    LogbookWriter log(rig, folder / "run.jsonl.zst");
    for (std::uint32_t i = 1; i < 4; ++i) {
      const Time now{std::chrono::milliseconds(2 * i)};
      const LinkReport report = report_of(i, now);
      engine.tick(
          {.now = now, .readings = {}, .reports = {&report, 1}, .end = false, .program = program, .typed = typed},
          out.view());
      log.tick({now, false, {}, {&report, 1}, out.commands, out.switches, {}, program, typed});
    }
    log.close("over");
  }
  LogbookReader log(folder / "run.jsonl.zst");
  std::uint32_t i = 0;
  for (LogRecord record; log.next(record);) {
    if (record.kind != LogRecord::Kind::tick) continue;
    ++i;
    REQUIRE(record.reports.size() == 1);
    const LinkReport &read = record.reports.front(), wrote = report_of(i, record.now);
    REQUIRE(read.axes.size() == 3);
    CHECK((read.axes[0].measured && !read.axes[0].told));
    CHECK((!read.axes[1].measured && read.axes[1].told && read.axes[1].position == 12.5));
    CHECK((!read.axes[2].measured && !read.axes[2].told));
    CHECK(std::signbit(read.axes[0].position));
    CHECK(std::signbit(read.axes[0].speed));
    CHECK(read.far_clock == wrote.far_clock);
    CHECK(read.faults == wrote.faults);
    CHECK(std::equal(read.inputs.begin(), read.inputs.end(), wrote.inputs.begin(), wrote.inputs.end()));
    CHECK(std::equal(read.actions.begin(), read.actions.end(), wrote.actions.begin(), wrote.actions.end()));
    CHECK(std::equal(record.program.begin(), record.program.end(), std::begin(program), std::end(program)));
    CHECK(std::signbit(record.program[1].velocity));
    CHECK(std::equal(record.typed.begin(), record.typed.end(), std::begin(typed), std::end(typed)));
  }
  CHECK(i == 3);
  CHECK(test::replay(folder / "run.jsonl.zst").same);
  // What is no such thing is told as that.
  std::string text = test::unpacked(read(folder / "run.jsonl.zst"));
  text.replace(text.find("\"timed_out\""), 11, "\"forgotten\"");
  const Read got = read_all(test::packed(text));
  CHECK(got.end == LogEnd::damaged);
  CHECK(got.why.find("an action is done, refused or timed_out") != std::string::npos);
}

TEST_CASE("A span keeps its ticks, and the whole is replayed all the same") {
  const Folder folder;
  test::write_demo_log(folder / "run.jsonl.zst", ticks);
  const auto part = test::replay(folder / "run.jsonl.zst", PlotSpan{4, 5});
  CHECK(part.same);
  CHECK(part.ticks == ticks);
  CHECK(part.trace.ticks == 500);
  CHECK(to_seconds(part.trace.at(0)) == doctest::Approx(4.0).epsilon(0.001));
}

TEST_CASE("Cut off anywhere, it reads up to the last whole piece") {
  const Folder folder;
  test::write_demo_log(folder / "run.jsonl.zst", 1500);
  const std::string whole = read(folder / "run.jsonl.zst");
  const std::vector<Place> places = places_of(whole);
  REQUIRE(places.size() > 3);
  const std::size_t head = places[0].end;
  std::mt19937_64 random(test::seed());
  for (int i = 0; i < 200; ++i) {
    const std::size_t at = i == 0 ? head : head + random() % (whole.size() - head);
    CAPTURE(at);
    std::size_t there = 0;
    std::uint64_t end = 0;
    for (const Place& place : places) {
      if (place.end > at) break;
      there += place.ticks;
      end = place.end;
    }
    const Read got = read_all(whole.substr(0, at));
    CHECK(got.ticks == there);
    CHECK(got.end == LogEnd::cut_off);
    CHECK(got.why.find(std::to_string(end)) != std::string::npos);
    // What clears away old logbooks sees the same from the end.
    write_text(folder / "cut.jsonl.zst", whole.substr(0, at));
    CHECK(last_piece(folder / "cut.jsonl.zst").value().end == LogEnd::cut_off);
  }
  CHECK(last_piece(folder / "run.jsonl.zst").value().end == LogEnd::complete);
  for (const std::size_t at : {std::size_t{0}, std::size_t{1}, head / 2, head - 1})
    CHECK_THROWS_AS(LogbookReader(whole.substr(0, at), "log"), SessionError);
  const Read all = read_all(whole);
  CHECK(all.why.empty());
  CHECK(all.ticks == 1500);
  CHECK(read_all(whole + "x").end == LogEnd::damaged);
  // A line of nonsense ends it there, with its number.
  std::string broken = test::unpacked(whole);
  broken.replace(broken.find("\n{\"t\"", broken.size() / 2) + 1, 1, "[");
  CHECK(read_all(test::packed(broken)).why.find(" is no JSON") != std::string::npos);
}

TEST_CASE("No flipped bit goes unseen, and the piece with it is named") {
  const Folder folder;
  test::write_demo_log(folder / "run.jsonl.zst", 3000);
  const std::string whole = read(folder / "run.jsonl.zst");
  const std::vector<Place> places = places_of(whole);
  REQUIRE(places.size() > 5);
  std::mt19937_64 random(test::seed());
  const int tries = std::getenv("GYRAX_MORE") != nullptr ? 10'000 : 500;
  int found = 0;
  for (int i = 0; i < tries; ++i) {
    const std::size_t bit = random() % (whole.size() * 8);
    std::string flipped = whole;
    flipped[bit / 8] = static_cast<char>(flipped[bit / 8] ^ (1 << bit % 8));
    PieceReader pieces(std::make_unique<std::istringstream>(std::move(flipped)));
    std::size_t read = 0;
    for (std::string text; pieces.next(text);) ++read;
    const Place& place = places[std::min(read, places.size() - 1)];
    const bool named = pieces.ended() == LogEnd::damaged && bit / 8 >= place.begin && bit / 8 < place.end &&
                       pieces.why().find(std::to_string(place.begin)) != std::string::npos;
    if (!named) {
      CAPTURE(bit);
      CAPTURE(pieces.why());
      CHECK(named);
    }
    found += named ? 1 : 0;
  }
  MESSAGE(found, " of ", tries, " flipped bits found");
  CHECK(found == tries);
}

TEST_CASE("A disk that is slower than the run costs records, counted, where they are missing; never a wait") {
  const Folder folder;
  std::mutex disk;
  LogbookWriter::Options options;
  options.ring = 64u << 10;
  std::atomic<int> calls{0};
  options.before_write = [&] {
    // The head is written before anything begins.
    if (++calls == 1) return std::error_code{};
    const std::lock_guard lock(disk);
    return std::error_code{};
  };
  std::size_t at = 0;
  disk.lock();  // stands still from the first piece on, and for good half of the run
  const auto closed = test::write_demo_log(folder / "run.jsonl.zst", ticks, options, [&](LogbookWriter& log) {
    if (++at != ticks / 2) return;
    CHECK(log.lost() > 1000);
    disk.unlock();
    ::usleep(200'000);
  });
  const Read got = read_all(read(folder / "run.jsonl.zst"));
  CHECK(got.why.empty());
  CHECK(closed.lost > 1000);
  CHECK(got.lost == closed.lost);
  CHECK(got.ticks + got.lost == ticks);
  CHECK(closed.ticks == got.ticks);
  const auto replayed = test::replay(folder / "run.jsonl.zst");
  CHECK(replayed.same);
  CHECK(replayed.end == LogEnd::complete);
  CHECK(replayed.ticks == got.lost_after.front());
  // It goes on behind what was lost.
  CHECK(replayed.written_s == got.last_s);
  CHECK(replayed.length_s < replayed.written_s);
}

TEST_CASE("A disk that fails for a while costs nothing; it is told at once, and what it refused gets there later") {
  const Folder folder;
  for (int first = 0; first < 6; ++first) {
    for (const int count : {1, 3, 1000}) {
      CAPTURE(first);
      CAPTURE(count);
      const std::string path = folder / ("run" + std::to_string(first) + "-" + std::to_string(count));
      int call = 0;
      LogbookWriter::Options options;
      options.ring = 16u << 20;
      options.before_write = [&] {
        const int n = call++;
        return n >= first && n < first + count ? std::make_error_code(std::errc::no_space_on_device)
                                               : std::error_code{};
      };
      if (first == 0) {
        CHECK_THROWS_AS(test::write_demo_log(path, 3000, options, [](LogbookWriter&) {}), std::system_error);
        CHECK_FALSE(fs::exists(path));
        continue;
      }
      const auto closed = test::write_demo_log(path, 3000, options, [](LogbookWriter&) {});
      const Read got = read_all(read(path));
      CHECK(got.ticks == closed.ticks);
      CHECK(closed.ticks + closed.lost == 3000);
      CHECK(closed.trouble.empty() == (closed.lost == 0 && got.end == LogEnd::complete));
      if (call < first + count) {
        CHECK(got.end == LogEnd::cut_off);  // it never took the end
        continue;
      }
      CHECK(got.why.empty());
      CHECK(got.lost == closed.lost);
    }
  }
}

TEST_CASE("Trouble of the disk can be asked for while it lasts") {
  const Folder folder;
  std::atomic<bool> full{false};
  LogbookWriter::Options options;
  options.before_write = [&] { return full ? std::make_error_code(std::errc::no_space_on_device) : std::error_code{}; };
  std::size_t at = 0;
  bool told = false;
  const auto closed = test::write_demo_log(folder / "run.jsonl.zst", 3000, options, [&](LogbookWriter& log) {
    ++at;
    if (at < 1000) CHECK(log.trouble() == std::error_code{});
    if (at == 1000) full = true;
    if (at % 100 == 0) ::usleep(30'000);
    if (at > 1000 && log.trouble() == std::errc::no_space_on_device) told = true;
    if (at == 2000) full = false;
  });
  CHECK(told);
  CHECK(closed.lost == 0);
  CHECK(closed.trouble.empty());
  CHECK(test::replay(folder / "run.jsonl.zst").ticks == 3000);
}

TEST_CASE("A disk that is full in the middle of a piece: the piece is taken back, and the end says what is missing") {
  const Folder folder;
  const std::string path = folder / "run.jsonl.zst";
  const pid_t child = ::fork();
  if (child == 0) {
    // Files of this process may not grow beyond this.
    std::signal(SIGXFSZ, SIG_IGN);
    const rlimit limit{60'000, 60'000};
    ::setrlimit(RLIMIT_FSIZE, &limit);
    const auto closed = test::write_demo_log(path, ticks);
    ::_exit(closed.lost > 0 && !closed.trouble.empty() && closed.ticks + closed.lost == ticks ? 0 : 1);
  }
  int status = -1;
  ::waitpid(child, &status, 0);
  CHECK(WEXITSTATUS(status) == 0);
  const std::string bytes = read(path);
  CHECK(bytes.size() <= 60'000);
  const Read got = read_all(bytes);
  CHECK(got.ticks > 100);
  CHECK(got.end != LogEnd::damaged);
  if (got.end == LogEnd::complete) CHECK(got.ticks + got.lost == ticks);
}

TEST_CASE("What is no logbook is refused with a reason") {
  const Folder folder;
  const auto line = [](const std::string& text) { return test::packed(text + "\n"); };
  std::string damaged = line("{\"gyrax_logbook\":2}");
  damaged[40] = static_cast<char>(damaged[40] ^ 4);
  const struct {
    std::string bytes, says;
  } cases[] = {{"", "this is no logbook"},
               {"{}\n", "this is no logbook"},
               {"gyrax = 1\n", "this is no logbook"},
               {line("{}"), "this is no logbook"},
               {line(std::string(100'000, '[')), "this is no logbook"},
               {line("{\"gyrax_logbook\":3}"), "this logbook is of version 3"},
               {line("{\"gyrax_logbook\":1}"), "this logbook is of version 1"},
               {line("{\"gyrax_logbook\":2}"), "'program' is missing"},
               {line("{\"gyrax_logbook\":\"x\"}"), "a whole number is wanted"},
               {line("{\"gyrax_logbook\":2}").substr(0, 30), "its head is cut off"},
               {damaged, "its head is damaged"}};
  for (const auto& c : cases) {
    CAPTURE(c.says);
    std::string said;
    try {
      LogbookReader log(c.bytes, "log.jsonl.zst");
    } catch (const SessionError& error) {
      said = error.what();
    }
    CAPTURE(said);
    CHECK(said.find(c.says) != std::string::npos);
  }
  CHECK_THROWS_AS(LogbookReader(folder / "none.jsonl.zst"), SessionError);
  CHECK_THROWS_AS(LogbookReader(folder.path.string()), SessionError);
  CHECK_THROWS_AS(LogbookWriter(test::demo().rig, folder / "no/such/folder.jsonl.zst"), std::system_error);
}
