/// A page for a machine's technical file: how far each axis goes after each failure, predicted beside measured.
///
/// In: a rig and what was provoked. Out: Markdown, and a picture for each axis. Never: a date, or whatever else would
/// differ between two pages of the same rig.
///
///     gyrax::StopsPage page = gyrax::stops_page(rig, report, "stops");
#pragma once

#include <gyrax/faults/faults.hpp>

#include <string>
#include <vector>

namespace gyrax {

struct PagePicture {
  std::string name, svg;  ///< "stops.x.svg"
};

struct StopsPage {
  std::string text;
  std::vector<PagePicture> pictures;
  std::string why;  ///< why a picture is missing; empty: none is
};

/// `stem`: of the pictures' names.
StopsPage stops_page(const Rig& rig, const FaultsReport& report, const std::string& stem);

}  // namespace gyrax
