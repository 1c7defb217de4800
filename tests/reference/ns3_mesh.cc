// Which links the nodes of an IEEE 802.11s mesh take to their root, for tests/core/test_a_mesh_that_forms_itself.py: HWMP
// with its airtime link metric, proactive from the root, 802.11a, rates by signal-to-noise ratio. Built and run as
// README.md beside it says, with ns-3.37 from Debian's libns3-dev. Node 0 is the root.
// Prints for each node of each scene: scene, node, x and y in m, the node that it sends by (-1: none).
#include "ns3/core-module.h"
#include "ns3/internet-module.h"
#include "ns3/applications-module.h"
#include "ns3/mesh-helper.h"
#include "ns3/mesh-module.h"
#include "ns3/mobility-module.h"
#include "ns3/network-module.h"
#include "ns3/wifi-module.h"
#include "ns3/yans-wifi-helper.h"
#include <cstdio>
#include <map>
#include <random>
using namespace ns3;

static std::map<Mac48Address, int> g_owner;
static std::map<int, int> g_by;
static Mac48Address g_root;

static void Changed(int node, struct dot11s::RouteChange change)
{
    if (change.destination == g_root && change.type.find("Add") == 0)
        g_by[node] = g_owner[change.retransmitter];
    if (change.type == "Delete Proactive")
        g_by.erase(node);
}

static void Run(int scene)
{
    RngSeedManager::SetSeed(1);
    RngSeedManager::SetRun(scene);
    std::mt19937 draw(500 + scene);
    auto uniform = [&](double low, double high) { return low + (high - low) * (draw() / 4294967296.0); };
    int count = 4 + scene % 4;
    NodeContainer nodes;
    nodes.Create(count);
    auto at = CreateObject<ListPositionAllocator>();
    std::vector<Vector> where;
    for (int n = 0; n < count; n++)
    {
        where.push_back(Vector(n == 0 ? 0 : uniform(5, 60), n == 0 ? 0 : uniform(-20, 20), 0));
        at->Add(where.back());
    }
    MobilityHelper mobility;
    mobility.SetPositionAllocator(at);
    mobility.SetMobilityModel("ns3::ConstantPositionMobilityModel");
    mobility.Install(nodes);

    YansWifiChannelHelper channel;
    channel.SetPropagationDelay("ns3::ConstantSpeedPropagationDelayModel");
    channel.AddPropagationLoss("ns3::LogDistancePropagationLossModel", "Exponent", DoubleValue(3.5), "ReferenceLoss",
                               DoubleValue(46.7));
    YansWifiPhyHelper phy;
    phy.SetChannel(channel.Create());
    phy.Set("TxPowerStart", DoubleValue(17));
    phy.Set("TxPowerEnd", DoubleValue(17));
    g_by.clear();
    g_owner.clear();
    MeshHelper mesh = MeshHelper::Default();
    mesh.SetStandard(WIFI_STANDARD_80211a);
    mesh.SetRemoteStationManager("ns3::IdealWifiManager");
    mesh.SetMacType("RandomStart", TimeValue(Seconds(0.1)));
    mesh.SetNumberOfInterfaces(1);
    // The root is told by its address, which is the next that is given out.
    mesh.SetStackInstaller("ns3::Dot11sStack");
    NetDeviceContainer devices = mesh.Install(phy, nodes);
    for (int n = 0; n < count; n++)
    {
        auto point = DynamicCast<MeshPointDevice>(devices.Get(n));
        for (auto interface : point->GetInterfaces())
            g_owner[Mac48Address::ConvertFrom(interface->GetAddress())] = n;
        g_owner[Mac48Address::ConvertFrom(point->GetAddress())] = n;
        auto hwmp = DynamicCast<dot11s::HwmpProtocol>(point->GetRoutingProtocol());
        hwmp->TraceConnectWithoutContext("RouteChange", MakeBoundCallback(&Changed, n));
        if (n == 0)
        {
            g_root = Mac48Address::ConvertFrom(point->GetAddress());
            hwmp->SetRoot();
        }
    }
    InternetStackHelper internet;
    internet.Install(nodes);
    Ipv4AddressHelper addresses;
    addresses.SetBase("10.1.0.0", "255.255.0.0");
    auto given = addresses.Assign(devices);
    for (int n = 1; n < count; n++)
    {
        UdpEchoClientHelper client(given.GetAddress(0), 9);
        client.SetAttribute("MaxPackets", UintegerValue(100000));
        client.SetAttribute("Interval", TimeValue(MilliSeconds(200)));
        client.SetAttribute("PacketSize", UintegerValue(200));
        auto app = client.Install(nodes.Get(n));
        app.Start(Seconds(3 + 0.01 * n));
    }
    UdpEchoServerHelper server(9);
    server.Install(nodes.Get(0)).Start(Seconds(1));
    Simulator::Stop(Seconds(30));
    Simulator::Run();
    for (int n = 0; n < count; n++)
        std::printf("%d %d %.2f %.2f %d\n", scene, n, where[n].x, where[n].y, g_by.count(n) ? g_by[n] : -1);
    Simulator::Destroy();
}

int main()
{
    for (int scene = 0; scene < 60; scene++)
        Run(scene);
}
