// Beside the step path: what the picture is held against, and how.
#pragma once

#include "document/document.h"

#include <QWidget>

class QMenu;
class QToolButton;

namespace yolk::app {

class ChoiceRow;

class CompareBar : public QWidget {
    Q_OBJECT
public:
    explicit CompareBar(Document *document, QWidget *parent = nullptr);
    QToolButton *against() const { return against_; }
    ChoiceRow *way() const { return way_; }
    void setAway(bool away); ///< while something else than the picture is shown

Q_SIGNALS:
    void fileAsked(); ///< to compare with

private:
    void refresh();
    void fillMenu();
    Document *document_;
    bool isAway_ = false;
    QToolButton *against_;
    QMenu *menu_;
    ChoiceRow *way_;
};

} // namespace yolk::app
