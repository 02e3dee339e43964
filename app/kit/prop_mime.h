// Props on their way from the Kit to the Plan or to Site.
#pragma once

#include <QMimeData>
#include <QStringList>

namespace arvesk {

inline constexpr const char* kPropMime = "application/x-arvesk-props";

inline QMimeData* mimeOfProps(const QStringList& uids) {
  auto* data = new QMimeData;
  data->setData(QLatin1String(kPropMime), uids.join(QLatin1Char('\n')).toUtf8());
  return data;
}

/// Uids of the props that are carried; none when it is something else.
inline QStringList propsIn(const QMimeData* data) {
  return QString::fromUtf8(data->data(QLatin1String(kPropMime))).split(QLatin1Char('\n'), Qt::SkipEmptyParts);
}

}  // namespace arvesk
