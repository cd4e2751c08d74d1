// White balance, one for all frames.
#pragma once

#include "document/document.h"
#include "widgets/fold_group.h"

class QPushButton;

namespace yolk::app {

class ChoiceRow;
class ValueSlider;

class WhiteGroup : public FoldGroup {
    Q_OBJECT
public:
    explicit WhiteGroup(Document *document, QWidget *parent = nullptr);
    ChoiceRow *mode() const { return mode_; }
    ValueSlider *temperature() const { return temperature_; }
    ValueSlider *tint() const { return tint_; }
    QPushButton *pick() const { return pick_; }

Q_SIGNALS:
    void pickAsked(bool on); ///< the next click on the picture names something neutral

private:
    void refresh();
    void set(double WhiteSettings::*member, double value, const QString &gesture);
    Document *document_;
    ChoiceRow *mode_;
    ValueSlider *temperature_, *tint_;
    QPushButton *pick_;
};

} // namespace yolk::app
