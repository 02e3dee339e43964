// What the Bench has of keys: the mark beside a parameter that moves, and setting and taking its keys.
#include "app/bench/bench_view.h"
#include "app/model/words.h"
#include "core/plan/dials.h"

#include <QLocale>
#include <QMenu>

#include <algorithm>

namespace arvesk {

BenchView::KeyMark BenchView::keyMark(const Node& node, const ParamSpec& spec) const {
  const double frame = momentOf(m_model->document()).frame;
  KeyMark mark = KeyMark::None;
  for (const auto& [id, keys] : node.keys) {
    if (followedPart(id).param != spec.id || keys.isEmpty()) continue;
    const bool isHere = std::any_of(keys.list.begin(), keys.list.end(),
                                    [&](const Key& key) { return key.frame == frame; });
    if (isHere) return KeyMark::Here;
    mark = KeyMark::Moves;
  }
  return mark;
}

/// Only where the plan has time.
void BenchView::addKeyActions(QMenu& menu, const ParamSpec& spec) {
  const Node* node = m_model->plan().find(m_uid.toStdString());
  if (!m_model->document().settings.time || !node || !canHaveKeys(spec.type)) return;
  const bool isFollowing = std::any_of(node->follows.begin(), node->follows.end(), [&](const auto& followed) {
    return followedPart(followed.first).param == spec.id;
  });
  const KeyMark mark = keyMark(*node, spec);
  const QString frame = QLocale().toString(momentOf(m_model->document()).frame, 'g', 8);
  const auto add = [&](const QString& words, const char* name, bool isOn, auto&& what) {
    QAction* action = menu.addAction(words, this, what);
    action->setObjectName(QLatin1String(name));
    action->setEnabled(isOn);
  };
  menu.addSeparator();
  add(tr("Set a key at frame %1").arg(frame), "set_key", !isFollowing,
      [this, spec] { m_model->setKeyHere(m_uids, spec.id); });
  add(tr("Take the key at frame %1 out").arg(frame), "take_key", mark == KeyMark::Here,
      [this, spec] { m_model->takeKeys(m_uids, spec.id, false); });
  add(tr("Take all its keys out"), "take_keys", mark != KeyMark::None,
      [this, spec] { m_model->takeKeys(m_uids, spec.id, true); });
}

}  // namespace arvesk
