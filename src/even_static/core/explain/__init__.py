"""Why: likely causes, bottleneck, reasons, backhaul, Zigbee help, neighbours, the next measurement."""
