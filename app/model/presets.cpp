#include "app/model/presets.h"

#include "core/formats/plan_file.h"
#include "core/plan/node_kind.h"

#include <QSettings>

namespace arvesk {
namespace {

QString group(const std::string& kind) { return QStringLiteral("values/%1").arg(QString::fromStdString(kind)); }

/// Names may hold slashes, which would make groups.
QString keyOf(const std::string& kind, const QString& name) {
  return QStringLiteral("%1/%2").arg(
      group(kind), name.isEmpty() ? QStringLiteral("new")
                                  : QStringLiteral("named-") + QString::fromLatin1(name.toUtf8().toPercentEncoding()));
}

}  // namespace

QStringList Presets::names(const std::string& kind) {
  QSettings store;
  store.beginGroup(group(kind));
  QStringList out;
  for (const QString& key : store.childKeys())
    if (key.startsWith(QLatin1String("named-")))
      out << QString::fromUtf8(QByteArray::fromPercentEncoding(key.mid(6).toLatin1()));
  out.sort(Qt::CaseInsensitive);
  return out;
}

std::optional<ParamMap> Presets::values(const std::string& kind, const QString& name) {
  const QVariant kept = QSettings().value(keyOf(kind, name));
  if (!kept.isValid()) return std::nullopt;
  // As a plan of one node: older versions of the kind are brought up to this one, and what cannot be is left out.
  const auto plan = parsePlan(kept.toString().toStdString(), "values that were kept");
  if (!plan || plan->nodes.size() != 1 || plan->nodes.front().kind != kind) return std::nullopt;
  return plan->nodes.front().params;
}

void Presets::keep(const Node& node, const QString& name) {
  Plan one;
  one.nodes.push_back(node);
  one.nodes.front().inputs.clear();
  one.nodes.front().follows.clear();
  QSettings().setValue(keyOf(node.kind, name), QString::fromStdString(formatNodes(one, {node.uid})));
}

void Presets::forget(const std::string& kind, const QString& name) { QSettings().remove(keyOf(kind, name)); }

}  // namespace arvesk
