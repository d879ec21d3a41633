#include "gondola.h"

/* A small sum over the four bytes, so that a half-written value is not believed.
 * @req BRK-022 */
uint16_t store_checksum(int32_t value)
{
    uint32_t bits = (uint32_t)value;
    uint16_t sum = 0x5a;

    for (int i = 0; i < 4; i++) {
        sum = (uint16_t)((sum << 1) ^ (bits & 0xff));
        bits >>= 8;
    }
    return sum;
}

/* @req BRK-021 */
void store_shutdown(state_t *s, const inputs_t *in)
{
    if (!in->shutdown)
        return;
    if (!s->standstill)
        return;
    if (s->wear_um != s->stored_wear_um) {
        s->stored_wear_um = s->wear_um;
        s->stored_sum = store_checksum(s->wear_um);
    }
}

/* @req BRK-022 */
bool store_restore(state_t *s)
{
    if (s->stored_sum != store_checksum(s->stored_wear_um)) {
        s->stored_wear_um = 0;
        return false;
    }
    if (s->wear_um == 0)
        s->wear_um = s->stored_wear_um;
    return true;
}
