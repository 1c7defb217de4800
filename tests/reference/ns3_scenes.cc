// Small scenes of Wi-Fi (802.11ax) and 802.15.4 on one spectrum channel; ns-3.37 from Debian's libns3-dev.
// Reads tests/reference/ns3_scenes.in, prints for each scene its name and what each of its flows delivered: Mb/s of
// payload for Wi-Fi, the acknowledged share of the reports for 802.15.4. See README.md beside it.
#include "ns3/applications-module.h"
#include "ns3/core-module.h"
#include "ns3/lr-wpan-module.h"
#include "ns3/mobility-module.h"
#include "ns3/network-module.h"
#include "ns3/propagation-module.h"
#include "ns3/spectrum-module.h"
#include "ns3/wifi-module.h"
#include <cstdio>
#include <fstream>
#include <iostream>
#include <map>
#include <sstream>
using namespace ns3;

struct Wifi { std::string id; int band, channel, width; double dbm; int mcs; };
struct Mesh { std::string id; int channel; double dbm; };
struct Loss { std::string a, b; double db; };
struct Flow { std::string from, to; double mbps; };
struct Report { std::string from, to; double interval_ms; };
struct Scene { std::string name; std::vector<Wifi> wifi; std::vector<Mesh> mesh; std::vector<Loss> loss;
               std::vector<Flow> flows; std::vector<Report> reports; };

static const double FROM_S = 1.0, UNTIL_S = 4.0;
static std::map<std::string, uint64_t> received;
static std::map<std::string, std::pair<uint32_t, uint32_t>> told;

static void Received(std::string key, Ptr<const Packet> p, const Address&)
{
    if (Simulator::Now() >= Seconds(FROM_S)) received[key] += p->GetSize();
}
static void Confirmed(std::string key, McpsDataConfirmParams params)
{
    told[key].first += 1;
    if (params.m_status == IEEE_802_15_4_SUCCESS) told[key].second += 1;
}
static void SendReport(Ptr<LrWpanNetDevice> dev, Mac16Address to, double interval_ms, Ptr<UniformRandomVariable> rng)
{
    McpsDataRequestParams params;
    params.m_dstPanId = 5;
    params.m_srcAddrMode = SHORT_ADDR;
    params.m_dstAddrMode = SHORT_ADDR;
    params.m_dstAddr = to;
    params.m_msduHandle = 0;
    params.m_txOptions = TX_OPTION_ACK;
    dev->GetMac()->McpsDataRequest(params, Create<Packet>(49));
    Simulator::Schedule(MilliSeconds(interval_ms * (0.5 + rng->GetValue())), &SendReport, dev, to, interval_ms, rng);
}

static void Run(const Scene& scene)
{
    RngSeedManager::SetSeed(7);
    RngSeedManager::SetRun(1);
    received.clear();
    told.clear();
    Ptr<MultiModelSpectrumChannel> channel = CreateObject<MultiModelSpectrumChannel>();
    Ptr<MatrixPropagationLossModel> loss = CreateObject<MatrixPropagationLossModel>();
    loss->SetDefaultLoss(160);
    channel->AddPropagationLossModel(loss);
    channel->SetPropagationDelayModel(CreateObject<ConstantSpeedPropagationDelayModel>());
    std::map<std::string, Ptr<Node>> nodes;
    std::map<std::string, Ptr<NetDevice>> devices;
    MobilityHelper mobility;
    mobility.SetMobilityModel("ns3::ConstantPositionMobilityModel");
    for (const auto& w : scene.wifi)
    {
        Ptr<Node> node = nodes[w.id] = CreateObject<Node>();
        mobility.Install(node);
        SpectrumWifiPhyHelper phy;
        phy.SetChannel(channel);
        std::ostringstream settings;
        settings << "{" << w.channel << ", " << w.width << ", " << (w.band == 2 ? "BAND_2_4GHZ" : "BAND_5GHZ") << ", 0}";
        phy.Set("ChannelSettings", StringValue(settings.str()));
        phy.Set("TxPowerStart", DoubleValue(w.dbm));
        phy.Set("TxPowerEnd", DoubleValue(w.dbm));
        WifiHelper wifi;
        wifi.SetStandard(WIFI_STANDARD_80211ax);
        std::ostringstream mode;
        mode << "HeMcs" << w.mcs;
        wifi.SetRemoteStationManager("ns3::ConstantRateWifiManager", "DataMode", StringValue(mode.str()), "ControlMode",
                                     StringValue(w.band == 2 ? "ErpOfdmRate24Mbps" : "OfdmRate24Mbps"));
        WifiMacHelper mac;
        mac.SetType("ns3::AdhocWifiMac", "QosSupported", BooleanValue(true));
        devices[w.id] = wifi.Install(phy, mac, node).Get(0);
    }
    int address = 1;
    for (const auto& z : scene.mesh)
    {
        Ptr<Node> node = nodes[z.id] = CreateObject<Node>();
        mobility.Install(node);
        Ptr<LrWpanNetDevice> dev = CreateObject<LrWpanNetDevice>();
        dev->SetChannel(channel);
        node->AddDevice(dev);
        LrWpanSpectrumValueHelper psd;
        dev->GetPhy()->SetTxPowerSpectralDensity(psd.CreateTxPowerSpectralDensity(z.dbm, z.channel));
        dev->GetPhy()->SetNoisePowerSpectralDensity(psd.CreateNoisePowerSpectralDensity(z.channel));
        LrWpanPhyPibAttributes pib;
        pib.phyCurrentChannel = z.channel;
        dev->GetPhy()->PlmeSetAttributeRequest(phyCurrentChannel, &pib);
        dev->GetMac()->SetPanId(5);
        dev->GetMac()->SetShortAddress(Mac16Address(("00:0" + std::to_string(address++)).c_str()));
        devices[z.id] = dev;
    }
    for (const auto& l : scene.loss)
        loss->SetLoss(nodes.at(l.a)->GetObject<MobilityModel>(), nodes.at(l.b)->GetObject<MobilityModel>(), l.db);
    PacketSocketHelper sockets;
    for (auto& [id, node] : nodes) sockets.Install(node);
    int protocol = 1;
    for (const auto& f : scene.flows)
    {
        PacketSocketAddress to;
        to.SetSingleDevice(devices.at(f.from)->GetIfIndex());
        to.SetPhysicalAddress(devices.at(f.to)->GetAddress());
        to.SetProtocol(protocol);
        // Bursts of random length: a third of the time at three times the rate; a saturated one sends all the time.
        bool full = f.mbps <= 0;
        OnOffHelper source("ns3::PacketSocketFactory", Address(to));
        source.SetAttribute("PacketSize", UintegerValue(1500));
        source.SetAttribute("DataRate", DataRateValue(DataRate(uint64_t((full ? 300 : 3 * f.mbps) * 1e6))));
        source.SetAttribute("OnTime", StringValue(full ? "ns3::ConstantRandomVariable[Constant=1000]"
                                                       : "ns3::ExponentialRandomVariable[Mean=0.010]"));
        source.SetAttribute("OffTime", StringValue(full ? "ns3::ConstantRandomVariable[Constant=0]"
                                                        : "ns3::ExponentialRandomVariable[Mean=0.020]"));
        ApplicationContainer apps = source.Install(nodes.at(f.from));
        apps.Start(Seconds(0.2));
        PacketSocketAddress here;
        here.SetSingleDevice(devices.at(f.to)->GetIfIndex());
        here.SetProtocol(protocol++);
        Ptr<PacketSocketServer> server = CreateObject<PacketSocketServer>();
        server->SetLocal(here);
        nodes.at(f.to)->AddApplication(server);
        server->TraceConnectWithoutContext("Rx", MakeCallback(&Received).Bind(f.from + ">" + f.to));
    }
    Ptr<UniformRandomVariable> rng = CreateObject<UniformRandomVariable>();
    for (const auto& r : scene.reports)
    {
        Ptr<LrWpanNetDevice> from = DynamicCast<LrWpanNetDevice>(devices.at(r.from));
        Ptr<LrWpanNetDevice> to = DynamicCast<LrWpanNetDevice>(devices.at(r.to));
        from->GetMac()->SetMcpsDataConfirmCallback(MakeCallback(&Confirmed).Bind(r.from + ">" + r.to));
        Simulator::Schedule(Seconds(FROM_S), &SendReport, from, to->GetMac()->GetShortAddress(), r.interval_ms, rng);
    }
    Simulator::Stop(Seconds(UNTIL_S));
    Simulator::Run();
    std::printf("%s", scene.name.c_str());
    for (const auto& f : scene.flows)
        std::printf(" %.3f", received[f.from + ">" + f.to] * 8.0 / (UNTIL_S - FROM_S) / 1e6);
    for (const auto& r : scene.reports)
    {
        auto [sent, came] = told[r.from + ">" + r.to];
        std::printf(" %.4f", sent ? double(came) / sent : 0.0);
    }
    std::printf("\n");
    std::fflush(stdout);
    Simulator::Destroy();
}

int main(int argc, char** argv)
{
    std::ifstream in(argc > 1 ? argv[1] : "tests/reference/ns3_scenes.in");
    std::string line, word;
    Scene scene;
    while (std::getline(in, line))
    {
        std::istringstream part(line);
        part >> word;
        if (word == "scene") { scene = Scene(); part >> scene.name; }
        if (word == "wifi") { Wifi w; part >> w.id >> w.band >> w.channel >> w.width >> w.dbm >> w.mcs; scene.wifi.push_back(w); }
        if (word == "mesh") { Mesh z; part >> z.id >> z.channel >> z.dbm; scene.mesh.push_back(z); }
        if (word == "loss") { Loss l; part >> l.a >> l.b >> l.db; scene.loss.push_back(l); }
        if (word == "flow") { Flow f; part >> f.from >> f.to >> f.mbps; scene.flows.push_back(f); }
        if (word == "report") { Report r; part >> r.from >> r.to >> r.interval_ms; scene.reports.push_back(r); }
        if (word == "end") Run(scene);
    }
}
