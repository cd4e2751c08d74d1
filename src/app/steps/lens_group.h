// Lens fringes, noise of dark frames, raw detail.
#pragma once

#include "document/document.h"
#include "widgets/fold_group.h"

class QLabel;

namespace yolk::app {

class ChoiceRow;
class ValueSlider;

class LensGroup : public FoldGroup {
    Q_OBJECT
public:
    explicit LensGroup(Document *document, QWidget *parent = nullptr);
    ChoiceRow *fringes() const { return fringes_; }
    ValueSlider *darkNoise() const { return darkNoise_; }

private:
    void refresh();
    void set(const std::function<void(PrepareSettings &)> &change, std::string_view name, const QString &gesture = {});
    Document *document_;
    QLabel *fringesName_, *fringeFacts_, *demosaicName_;
    ChoiceRow *fringes_, *demosaic_;
    ValueSlider *darkNoise_;
};

} // namespace yolk::app
