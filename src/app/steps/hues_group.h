// Single colours: the ring, its marks and what each of them does.
#pragma once

#include "steps/adjustment_group.h"

#include <vector>

class QListWidget;
class QPushButton;

namespace yolk::app {

class HueRing;
class ValueSlider;

class HuesGroup : public AdjustmentGroup {
    Q_OBJECT
public:
    explicit HuesGroup(Document *document, QWidget *parent = nullptr);
    HueRing *ring() const { return ring_; }
    QPushButton *pick() const { return pick_; }
    QListWidget *list() const { return list_; }
    ValueSlider *slider(size_t field) const { return sliders_[field]; } ///< in the order of kHueMarkFields
    int selected() const { return selected_; }

Q_SIGNALS:
    void pickAsked(bool on); ///< the next click on the picture names a colour

private:
    const std::vector<HueMark> &marks() const;
    void setMarks(std::vector<HueMark> marks, const QString &what, const QString &gesture = {});
    void change(int mark, const HueMark &now, const QString &gesture);
    void addMark(double hue);
    void removeMark(int mark);
    void refreshMarks();

    HueRing *ring_;
    QPushButton *pick_, *remove_;
    QListWidget *list_;
    std::vector<ValueSlider *> sliders_;
    int selected_ = -1;
};

} // namespace yolk::app
