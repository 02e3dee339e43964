// What a file of an export should hold, reckoned from the points and props and not from what its writer did.
#pragma once

#include "core/formats/exporter.h"
#include "core/formats/readback.h"

namespace arvesk::readback {

/// After the job's writer has given its groups and solids their names.
Things expectedOf(const exporters::Job& job);

}  // namespace arvesk::readback
