// All that a key can do: each command once, with the keys it has by default and those that the user gave it. Menus, the
// key window and the hints in the status line are made from this.
#pragma once

#include <QAction>
#include <QKeySequence>

#include <functional>
#include <vector>

class QMenu;

namespace arvesk {

struct Command {
  QAction* action;
  QString group;              // its menu
  QWidget* view;              // where its keys count: only while this has the focus; null: everywhere in the window
  QList<QKeySequence> usual;  // keys by default
};

class Commands : public QObject {
  Q_OBJECT

 public:
  using QObject::QObject;
  /// Adds a command to `menu`. Its keys act while `view` has the focus, or anywhere.
  QAction* add(QMenu* menu, const QString& words, QList<QKeySequence> keys, const char* name, QWidget* view,
               std::function<void()> what);
  /// One that exists already (undo, redo).
  void add(QMenu* menu, QAction* action, QList<QKeySequence> keys, const char* name);
  const std::vector<Command>& all() const { return m_commands; }
  /// The keys of the command as text, for hints; empty when it has none.
  QString keysOf(const char* name) const;
  /// The command that would answer to `keys` in the same place as `command`; null when none would.
  const Command* rivalOf(const Command& command, const QKeySequence& keys) const;
  /// Gives the command these keys in place of its own, and remembers it. An empty list takes them away.
  void setKeys(const Command& command, const QList<QKeySequence>& keys);
  void resetAll();

 Q_SIGNALS:
  void keysChanged();

 private:
  std::vector<Command> m_commands;
};

/// Words of a context menu with the keys that the command has now, as menus show them.
QString withKeys(const QString& words, const QWidget* in, const char* command);

}  // namespace arvesk
