// Encodes one picture that another of our programs hands over; see io/still_encoder.h.
#include "io/still_encoder.h"

int main()
{
    return yolk::runEncoder(3, 4);
}
