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
  return movable(kind, plan->nodes.front().params);
}

ParamMap Presets::movable(const std::string& kind, const ParamMap& values) {
  const NodeKind* known = findNodeKind(kind);
  ParamMap out;
  for (const auto& [id, value] : values) {
    const ParamSpec* spec = known ? known->findParam(id) : nullptr;
    if (spec && spec->type != ParamType::File && spec->type != ParamType::Props && spec->type != ParamType::Strokes &&
        spec->type != ParamType::Faces && spec->type != ParamType::Points && spec->type != ParamType::Touches)
      out[id] = value;
  }
  return out;
}

void Presets::keep(const Plan& plan, const Node& node, Quality quality, const QString& name) {
  Plan one;
  one.nodes.push_back(node);
  Node& kept = one.nodes.front();
  kept.params = movable(node.kind, paramsNow(plan, node, quality));
  kept.inputs.clear();
  kept.follows.clear();
  kept.keys.clear();
  QSettings().setValue(keyOf(node.kind, name), QString::fromStdString(formatNodes(one, {node.uid})));
}

void Presets::forget(const std::string& kind, const QString& name) { QSettings().remove(keyOf(kind, name)); }

}  // namespace arvesk
