// Any bytes as a logbook: as its file, and as the text in pieces whose checks are right.
#include "within.hpp"

#include <gyrax/logbook/reader.hpp>

#include "support/logbooks.hpp"

#include <cstdint>

namespace {

void read(const std::string& text) {
  gyrax::LogbookReader log(text, "fuzz.jsonl.zst");
  bool closed = false;
  int line = 1;
  for (gyrax::LogRecord record; log.next(record);) {
    if ((closed && record.kind != gyrax::LogRecord::Kind::check) || record.line <= line) __builtin_trap();
    line = record.line;
    closed = closed || record.kind == gyrax::LogRecord::Kind::end;
    for (const gyrax::LinkReport& report : record.reports)
      if (report.axes.size() > gyrax::max_piece) __builtin_trap();
    std::vector<gyrax::Event> events;
    gyrax::read_events(log.rig(), record.now, record.events, events);
  }
  if ((log.ended() == gyrax::LogEnd::complete) != log.why().empty()) __builtin_trap();
  if (log.ended() == gyrax::LogEnd::complete && !closed) __builtin_trap();
}

void read_within(const std::string& bytes, std::size_t longest) {
  // A head's rig is another reader's.
  const std::size_t most =
      gyrax::test::logbook_memory.of(longest) + gyrax::test::toml_memory.of(longest) + 2 * bytes.size();
  try {
    gyrax::test::within(most, [&] { read(bytes); });
  } catch (const gyrax::FileError& error) {
    if (error.problems().empty()) __builtin_trap();
  }
}

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  const std::string text(reinterpret_cast<const char*>(data), size);
  // Bytes that are pieces hold at most so much text each, however few they are.
  read_within(text, gyrax::max_piece);
  if (size < gyrax::max_piece / 2) read_within(gyrax::test::packed(text, size % 2 == 0), size + 64);
  return 0;
}
