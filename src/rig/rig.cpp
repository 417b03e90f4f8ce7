#include "builder.hpp"

#include <gyrax/files/kind.hpp>
#include <gyrax/files/text_file.hpp>
#include <gyrax/rig/remembered.hpp>

#include <fmt/format.h>

#include <algorithm>
#include <filesystem>

namespace gyrax {
namespace {

void check_version(Table& root) {
  const auto version = root.whole("gyrax", {1, 1e6, false, "", true});
  if (!root.has("gyrax")) {
    root.problem(Code::version_missing, "", "the version of the format is missing",
                 fmt::format("a first line 'gyrax = {}'", rig_version));
  } else if (version && *version > rig_version) {
    root.problem(Code::version_newer, "gyrax", fmt::format("this rig is of version {}", *version),
                 fmt::format("this program reads versions up to {}; take a newer one", rig_version));
  }
}

using Reader = RigBuilder::Reader;

/// The document and those that it includes. Stops at the first text that cannot be read.
std::vector<Document> documents(std::string_view text, const std::string& file, const Reader& reader,
                                std::vector<RigSource>& sources, Problems& problems) {
  std::vector<Document> all;
  sources.push_back({file, std::string(text)});
  const auto first = Document::parse(std::string(text), file, problems);
  if (!first) return all;
  all.push_back(*first);
  Table root = first->root(problems);
  const std::vector<std::string> names = root.texts("include");
  std::set<std::string> seen{file};
  for (const std::string& name : names) {
    const std::string path = (std::filesystem::path(file).parent_path() / name).string();
    if (names.size() > max_includes || !seen.insert(path).second) {
      root.problem(Code::include, "include", fmt::format("'{}' is one too many, or included twice", name),
                   fmt::format("each file once, at most {}", max_includes));
      return all;
    }
    const Text included = reader(path);
    if (included.error) {
      root.problem(Code::include, "include", included.why);
      continue;
    }
    const auto parsed = Document::parse(included.text, path, problems);
    if (!parsed) continue;
    sources.push_back({path, included.text});
    if (Table inner = parsed->root(problems); inner.has("include"))
      inner.problem(Code::include, "include", "an included file includes others", "only the first file includes");
    all.push_back(*parsed);
  }
  return all;
}

/// A reader that gives no more than `left` bytes in all.
Reader bounded(const Reader& reader, std::size_t& left) {
  return [&reader, &left](const std::string& path) {
    Text read = reader(path);
    if (read.error) return read;
    if (read.text.size() > left)
      return Text{{},
                  std::make_error_code(std::errc::file_too_large),
                  fmt::format("with '{}' the rig's files have more than {}", path, size_words(max_rig))};
    left -= read.text.size();
    return read;
  };
}

Rig build(std::string_view text, const std::string& file, const Reader& unbounded) {
  if (text.size() > max_rig)
    throw RigError(
        {unreadable(file, fmt::format("it has {} bytes; at most {} are read", text.size(), size_words(max_rig)))});
  if (auto other = other_kind(text, file, FileKind::rig)) throw RigError({std::move(*other)});
  std::size_t left = max_rig - text.size();
  const Reader reader = bounded(unbounded, left);
  Problems problems;
  std::vector<RigSource> sources;
  const std::vector<Document> docs = documents(text, file, reader, sources, problems);
  std::vector<Table> roots;
  roots.reserve(docs.size());
  for (const Document& doc : docs) roots.push_back(doc.root(problems));
  RigBuilder builder(problems, reader);
  for (Table& root : roots) {
    check_version(root);
    root.is_text("include");
  }
  using Read = void (RigBuilder::*)(Table&);
  for (const Read read :
       {&RigBuilder::read_basics, &RigBuilder::read_dialects, &RigBuilder::read_links, &RigBuilder::read_zones,
        &RigBuilder::read_inputs, &RigBuilder::read_axes, &RigBuilder::read_groups, &RigBuilder::read_poses,
        &RigBuilder::read_switches, &RigBuilder::read_actions, &RigBuilder::read_handsets, &RigBuilder::read_stations,
        &RigBuilder::read_layers, &RigBuilder::read_bindings})
    for (Table& root : roots) (builder.*read)(root);
  for (const Document& doc : docs) builder.files.push_back(doc.file());
  builder.build_bindings();
  for (Table& root : roots) root.refuse_the_rest();
  // A rig that is wrong in its parts would be told to be wrong as a whole for the same reasons.
  if (problems.any()) throw RigError(problems.take());
  Rig rig = builder.finish(file);
  if (problems.any()) throw RigError(problems.take());
  rig.sources = std::move(sources);
  for (RigSource& calibration : builder.sources)
    if (std::none_of(rig.sources.begin(), rig.sources.end(),
                     [&](const RigSource& one) { return one.path == calibration.path; }))
      rig.sources.push_back(std::move(calibration));
  for (const auto& [name, origin] : builder.described()) rig.origins[name] = origin;
  for (const auto& [key, place] : problems.places) rig.origins[key] = {place.file, place.line, place.column};
  return rig;
}

Text from_disk(const std::string& path) { return read_text(path, max_rig); }

}  // namespace

Rig parse_rig(std::string_view text, const std::string& file) { return build(text, file, from_disk); }

Rig parse_rig(const std::vector<RigSource>& sources) {
  const auto text_of = [&](const std::string& path) {
    for (const RigSource& source : sources)
      if (source.path == path) return Text{source.text, {}, {}};
    return Text{{},
                std::make_error_code(std::errc::no_such_file_or_directory),
                fmt::format("'{}' is not among the texts", path)};
  };
  return with_remembered(build(sources.at(0).text, sources.at(0).path, text_of), text_of(remembered_source).text);
}

Rig load_rig(const std::string& path) {
  const Text text = read_text(path, max_rig);
  if (text.error) throw RigError({unreadable(path, text.why)}, text.error);
  return build(text.text, path, from_disk);
}

namespace {

Problem device_problem(const Rig& rig, std::string what, std::string allowed) {
  return {Code::device, rig.path, 0, 0, "", std::move(what), std::move(allowed), ""};
}

/// A handset that was calibrated has to be the device that was measured, unless the rig allows any.
void check_measured(Rig& rig, const SeatWish& seat, const Device& device, std::vector<Problem>& problems) {
  if (!seat.calibrated) return;
  const std::string how = differs(*seat.calibrated, device);
  if (how.empty()) return;
  if (seat.calibrated->any_device) {
    rig.remarks.push_back(fmt::format("handset {}: {}; the rig allows it", seat.handset, how));
  } else {
    problems.push_back(
        device_problem(rig, how, "calibrate this one, or allow it: calibration = { file = …, any_device = true }"));
  }
}

/// A key or a dial that the device lacks would never do anything. What has no name is described by its ends alone.
void require_on(const Rig& rig, std::size_t s, const Device& device, std::vector<Problem>& problems) {
  if (device.name.empty()) return;
  const ControlSetup& setup = rig.setup.controls[s];
  Device named = device;
  named.named = rig.seats[index(setup.handset)].named;
  const std::vector<ControlId> there = controls_of(named);
  if (std::ranges::find(there, setup.control) == there.end())
    problems.push_back(device_problem(
        rig,
        fmt::format("handset '{}' ({}) has no {}", rig.handsets[index(setup.handset)], device.name, rig.slots[s].name),
        "bind a control that the device has"));
}

/// The ends of one control, as its device says them.
void fit_ends(Rig& rig, std::size_t s, const Device& device, std::vector<Problem>& problems) {
  ControlSetup& setup = rig.setup.controls[s];
  const std::string& handset = rig.handsets[index(setup.handset)];
  Device named = device;
  named.named = rig.seats[index(setup.handset)].named;
  const auto range = ends_of(named, setup.control);
  if (!range) {
    problems.push_back(
        device_problem(rig, fmt::format("handset '{}' ({}) has no {}", handset, device.name, rig.slots[s].name),
                       "bind a control that the device has"));
    return;
  }
  if (rig.slots[s].own_ends) return;
  if (const auto made = fitted(setup.calibration, *range)) {
    setup.calibration = *made;
    return;
  }
  problems.push_back(device_problem(rig,
                                    fmt::format("{} of handset '{}' says it goes from {} to {}", rig.slots[s].name,
                                                handset, range->minimum, range->maximum),
                                    "give minimum, centre and maximum in the rig"));
}

}  // namespace

Rig fit(Rig rig, const std::map<std::string, Device>& devices) {
  std::vector<Problem> problems;
  for (const SeatWish& seat : std::vector(rig.seats))
    if (const auto device = devices.find(seat.handset); device != devices.end())
      check_measured(rig, seat, device->second, problems);
  for (std::size_t s = 0; s < rig.slots.size(); ++s) {
    const ControlSetup& setup = rig.setup.controls[s];
    const ControlKind kind = setup.calibration.kind();
    const auto device = devices.find(rig.handsets[index(setup.handset)]);
    const bool has_ends = kind == ControlKind::centred || kind == ControlKind::one_sided;
    if (device == devices.end() || setup.control == no<ControlId>) continue;
    has_ends ? fit_ends(rig, s, device->second, problems) : require_on(rig, s, device->second, problems);
  }
  if (!problems.empty()) throw RigError(std::move(problems));
  return rig;
}

}  // namespace gyrax
