// A few choices side by side, one of them taken.
#pragma once

#include <QList>
#include <QWidget>

class QButtonGroup;

namespace yolk::app {

class ChoiceRow : public QWidget {
    Q_OBJECT
public:
    struct Item {
        QString name, help;
    };
    /// `columns` 0: all in one row.
    ChoiceRow(const QString &name, const QList<Item> &items, QWidget *parent = nullptr, int columns = 0);
    void setIndex(int index); ///< -1: none; emits nothing
    int index() const;
    int count() const;                     ///< of choices
    void setAvailable(int index, bool on); ///< one that is not is not shown

Q_SIGNALS:
    void chosen(int index);

private:
    QButtonGroup *group_;
};

} // namespace yolk::app
