#include "app/window/commands.h"

#include "app/window/settings.h"

#include <QMenu>
#include <QWidget>

#include <algorithm>

namespace arvesk {

QAction* Commands::add(QMenu* menu, const QString& words, QList<QKeySequence> keys, const char* name, QWidget* view,
                       std::function<void()> what) {
  auto* action = new QAction(words, menu);
  connect(action, &QAction::triggered, this, std::move(what));
  if (view) {
    action->setShortcutContext(Qt::WidgetShortcut);
    view->addAction(action);
  }
  add(menu, action, std::move(keys), name);
  m_commands.back().view = view;
  return action;
}

void Commands::add(QMenu* menu, QAction* action, QList<QKeySequence> keys, const char* name) {
  action->setObjectName(QLatin1String(name));
  menu->addAction(action);
  const std::optional<QStringList> own = Settings().keys(action->objectName());
  QList<QKeySequence> now = keys;
  if (own) {
    now.clear();
    for (const QString& text : *own) now.append(QKeySequence(text, QKeySequence::PortableText));
  }
  action->setShortcuts(now);
  m_commands.push_back({action, menu->title().remove(QLatin1Char('&')), nullptr, std::move(keys)});
}

QString Commands::keysOf(const char* name) const {
  const auto it = std::find_if(m_commands.begin(), m_commands.end(),
                               [&](const Command& c) { return c.action->objectName() == QLatin1String(name); });
  return it == m_commands.end() ? QString() : it->action->shortcut().toString(QKeySequence::NativeText);
}

const Command* Commands::rivalOf(const Command& command, const QKeySequence& keys) const {
  for (const Command& other : m_commands) {
    if (other.action == command.action || !other.action->shortcuts().contains(keys)) continue;
    // Two views may use the same key, since only one has the focus; what acts everywhere excludes all others.
    if (!other.view || !command.view || other.view == command.view) return &other;
  }
  return nullptr;
}

void Commands::setKeys(const Command& command, const QList<QKeySequence>& keys) {
  command.action->setShortcuts(keys);
  QStringList texts;
  for (const QKeySequence& k : keys) texts.append(k.toString(QKeySequence::PortableText));
  if (keys == command.usual)
    Settings().forgetKeys(command.action->objectName());
  else
    Settings().setKeys(command.action->objectName(), texts);
  Q_EMIT keysChanged();
}

void Commands::resetAll() {
  for (const Command& c : m_commands) {
    c.action->setShortcuts(c.usual);
    Settings().forgetKeys(c.action->objectName());
  }
  Q_EMIT keysChanged();
}

QString withKeys(const QString& words, const QWidget* in, const char* command) {
  const auto* action = in->window()->findChild<QAction*>(QLatin1String(command));
  const QString keys = action ? action->shortcut().toString(QKeySequence::NativeText) : QString();
  return keys.isEmpty() ? words : words + QLatin1Char('\t') + keys;
}

}  // namespace arvesk
