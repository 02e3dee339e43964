// Points on the lie of the land, seen from above: pictures of beds, and of what a node makes.
#pragma once

#include "app/model/evaluation_service.h"

#include <QImage>
#include <QRectF>

namespace arvesk {

/// What leaves a bed at the ends of its chains, in the order of the plan.
std::vector<PointsPtr> leftByBed(const Plan& plan, const Evaluation& evaluation, const PaperItem& bed);

/// A frame about all points with some room, m of x and z, as wide as `shape` times its height. Empty without points.
QRectF frameAbout(const std::vector<PointsPtr>& points, const SurfacePtr& ground, double shape);

/// North is up. Null when there is nothing to frame, or after a cancel.
QImage topView(const SurfacePtr& ground, const std::vector<PointsPtr>& points, const QRectF& frame, const Task& task);

}  // namespace arvesk
