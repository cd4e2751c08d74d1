// Alignment: whether, how, what was found, and what is kept of the edges.
#pragma once

#include "document/document.h"
#include "widgets/fold_group.h"

class QLabel;

namespace yolk::app {

class ChoiceRow;

/// "12 px right, 3 up, 0.4° clockwise"; "does not move".
QString motionText(const Transform &toFrame, const QSize &picture);

class AlignGroup : public FoldGroup {
    Q_OBJECT
public:
    explicit AlignGroup(Document *document, QWidget *parent = nullptr);
    ChoiceRow *mode() const { return mode_; }
    ChoiceRow *model() const { return model_; }
    ChoiceRow *local() const { return local_; }
    ChoiceRow *crop() const { return crop_; }
    QString motions() const; ///< what it says of each frame

private:
    void refresh();
    void refreshMotions();
    void set(const std::function<void(Recipe &)> &change, std::string_view name);
    Document *document_;
    ChoiceRow *mode_, *model_, *local_, *crop_;
    QLabel *modelName_, *localName_, *motions_, *cropName_;
};

} // namespace yolk::app
